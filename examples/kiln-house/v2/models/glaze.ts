import { IsBoolean, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";
import { Tracked } from "./tracked.js";

@Stored<Glaze>({ note: "A glaze recipe" })
export class Glaze extends Tracked {
  @IsString() @MaxLength(60) name!: string;
  @IsBoolean() @Field({ default: true }) foodSafe = true;
  @IsOptional() @IsString() notes?: string;
  @ReferredBy(() => Piece, "glazes") pieces!: Piece[];
}
