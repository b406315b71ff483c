import { IsIn, IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
import { Clay } from "./clay.js";
import { Potter } from "./potter.js";
import { Tracked } from "./tracked.js";

@Stored<Piece>({ note: "A pot on its way through the studio", checks: { sane_weight: "{weight} < 40000" } })
export class Piece extends Tracked {
  @IsString() @MaxLength(120) title!: string;
  @IsOptional() @IsInt() @Min(1) @Field({ note: "In grams" }) weight?: number;
  @IsIn(["greenware", "bisque", "glazed"]) @Field({ default: "greenware", index: true }) stage = "greenware";
  @RefersTo(() => Potter, { onDelete: "restrict" }) potter!: Potter;
  @RefersTo(() => Clay) clay!: Clay;
}
