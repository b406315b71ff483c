import { IsString, Matches, MaxLength } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";

@Stored<Rack>({ was: "shelves", note: "Where pieces dry and wait" })
export class Rack {
  @IsString() @Matches(/^[A-Z]-[0-9]+$/) @MaxLength(8) @Field({ unique: true }) label!: string;
  @ReferredBy(() => Piece, "rack") pieces!: Piece[];
}
