import { IsString, Matches, MaxLength } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";

@Stored<Shelf>()
export class Shelf {
  @IsString() @Matches(/^[A-Z]-[0-9]+$/) @MaxLength(8) @Field({ unique: true }) label!: string;
  @ReferredBy(() => Piece, "shelf") pieces!: Piece[];
}
