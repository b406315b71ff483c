import { IsIn, IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { Field, PairedWith, RefersTo, Stored } from "emberset";
import { Cents } from "./cents.js";
import { Clay } from "./clay.js";
import { Firing } from "./firing.js";
import { Glaze } from "./glaze.js";
import { Potter } from "./potter.js";
import { Shelf } from "./shelf.js";
import { Tracked } from "./tracked.js";

@Stored<Piece>({
  note: "A pot on its way through the studio",
  unique: [["potter", "title"]],
  checks: { sane_weight: "{weight} < 40000" },
})
export class Piece extends Tracked {
  @IsString() @MaxLength(120) title!: string;
  @IsOptional() @IsInt() @Min(1) @Field({ note: "In grams" }) weight?: number;
  @IsIn(["greenware", "bisque", "glazed", "sold"])
  @Field({ default: "greenware", index: true })
  stage = "greenware";
  @Cents @Field({ fill: 0 }) price!: number;
  @RefersTo(() => Potter, { onDelete: "restrict" }) potter!: Potter;
  @RefersTo(() => Clay) clay!: Clay;
  @IsOptional() @RefersTo(() => Shelf, { onDelete: "set null" }) shelf?: Shelf;
  @IsOptional() @RefersTo(() => Firing) firing?: Firing;
  @PairedWith(() => Glaze) glazes!: Glaze[];
}
