import { IsInt, Max, Min } from "class-validator";
import { Field, Key, RefersTo, Stored } from "emberset";
import { Glaze } from "./glaze.js";
import { Piece } from "./piece.js";

/** What was a plain pair of piece and glaze: now it counts the layers. */
@Stored<Coat>({ table: "pieces_glazes", note: "A glaze on a piece" })
export class Coat {
  @Key() @RefersTo(() => Piece, { onDelete: "cascade" }) piece!: Piece;
  @Key() @RefersTo(() => Glaze, { onDelete: "cascade" }) glaze!: Glaze;
  @IsInt() @Min(1) @Max(5) @Field({ default: 1 }) layers = 1;
}
