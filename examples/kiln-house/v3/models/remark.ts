import { IsString, MinLength } from "class-validator";
import { RefersToAny, Stored } from "emberset";
import { Firing } from "./firing.js";
import { Glaze } from "./glaze.js";
import { Piece } from "./piece.js";
import { Tracked } from "./tracked.js";

@Stored<Remark>({ note: "What somebody noticed" })
export class Remark extends Tracked {
  @RefersToAny(() => [Piece, Glaze, Firing], { onDelete: "cascade" }) about!: Piece | Glaze | Firing;
  @IsString() @MinLength(3) text!: string;
}
