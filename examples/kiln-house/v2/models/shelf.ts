import { IsString, Matches } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";

@Stored<Shelf>()
export class Shelf {
  @IsString() @Matches(/^[A-Z]-[0-9]+$/) @Field({ type: "varchar(8)", unique: true }) label!: string;
  @ReferredBy(() => Piece, "shelf") pieces!: Piece[];
}
