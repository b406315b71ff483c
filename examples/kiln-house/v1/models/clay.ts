import { IsIn, IsNumber, IsString, Max, MaxLength, Min } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Piece } from "./piece.js";

@Stored<Clay>({ note: "A clay body the studio buys" })
export class Clay {
  @IsString() @MaxLength(60) @Field({ unique: true }) name!: string;
  @IsIn(["earthenware", "stoneware", "porcelain"]) body!: string;
  @IsNumber({ maxDecimalPlaces: 1 }) @Min(0) @Max(20) shrinkagePercent!: number;
  @ReferredBy(() => Piece, "clay") pieces!: Piece[];
}
