import { IsIn, IsInt, IsOptional, Max, Min } from "class-validator";
import { Field, ReferredBy, RefersTo, Stored } from "emberset";
import { Kiln } from "./kiln.js";
import { Piece } from "./piece.js";
import { Potter } from "./potter.js";

@Stored<Firing>({ note: "One run of a kiln", unique: [["kiln", "firedOn"]] })
export class Firing {
  @RefersTo(() => Kiln) kiln!: Kiln;
  @Field({ type: "date" }) firedOn!: Date;
  @IsIn(["bisque", "glaze", "raku"]) program!: string;
  @IsInt() @Min(600) @Max(1400) @Field({ note: "In degrees Celsius" }) peak!: number;
  @IsOptional() @RefersTo(() => Potter, { onDelete: "set null" }) firedBy?: Potter;
  @ReferredBy(() => Piece, "firing") pieces!: Piece[];
}
