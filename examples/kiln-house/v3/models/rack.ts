import { IsString, Matches } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";

@Stored<Rack>({ was: "shelves", note: "Where pieces dry and wait" })
export class Rack {
  @IsString() @Matches(/^[A-Z]-[0-9]+$/) @Field({ type: "varchar(8)", unique: true }) label!: string;
  @ReferredBy(() => Piece, "rack") pieces!: Piece[];
}
