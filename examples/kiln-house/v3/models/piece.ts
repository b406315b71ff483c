import { IsIn, IsInt, IsOptional, IsString, MaxLength, Min, ValidateNested } from "class-validator";
import { Field, Inline, ReferredBy, RefersTo, Stored } from "emberset";
import { Cents } from "./cents.js";
import { Clay } from "./clay.js";
import { Coat } from "./coat.js";
import { Dimensions } from "./dimensions.js";
import { Firing } from "./firing.js";
import { Potter } from "./potter.js";
import { Rack } from "./rack.js";
import { Tracked } from "./tracked.js";

@Stored<Piece>({
  note: "A pot on its way through the studio",
  unique: [["potter", "title"]],
  indexes: [{ fields: ["stage", { field: "price", descending: true }], where: "{stage} <> 'sold'" }],
  checks: { sane_weight: "{weightGrams} < 40000" },
  grants: { potter: ["insert", "update"] },
})
export class Piece extends Tracked {
  @IsString() @MaxLength(120) title!: string;
  @IsInt() @Min(1) @Field({ was: "weight", fill: 1 }) weightGrams!: number;
  @IsIn(["greenware", "bisque", "glazed", "sold"])
  @Field({ default: "greenware" })
  stage = "greenware";
  @Cents @Field({ fill: 0, grants: { potter: ["insert"], treasurer: ["update"] } }) price!: number;
  @RefersTo(() => Potter, { onDelete: "restrict" }) potter!: Potter;
  @RefersTo(() => Clay) clay!: Clay;
  @IsOptional() @RefersTo(() => Rack, { onDelete: "set null" }) @Field({ was: "shelf_id" }) rack?: Rack;
  @IsOptional() @RefersTo(() => Firing) firing?: Firing;
  @IsOptional() @ValidateNested() @Inline(() => Dimensions) size?: Dimensions;
  @ReferredBy(() => Coat, "piece") coats!: Coat[];
}
