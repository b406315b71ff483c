import { IsBoolean, IsString, MaxLength } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";
import { Tracked } from "./tracked.js";

@Stored<Glaze>({ note: "A glaze recipe" })
export class Glaze extends Tracked {
  @IsString() @MaxLength(60) @Field({ unique: true }) name!: string;
  @IsBoolean() @Field({ default: true }) foodSafe!: boolean;
  @ReferredBy(() => Piece, "glazes") pieces!: Piece[];
}
