import { IsIn, IsInt, IsPositive, IsString, MaxLength } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Firing } from "./firing.js";

@Stored<Kiln>()
export class Kiln {
  @IsString() @MaxLength(40) @Field({ unique: true }) name!: string;
  @IsIn(["electric", "gas", "wood"]) fuel!: string;
  @IsInt() @IsPositive() volumeLitres!: number;
  @ReferredBy(() => Firing, "kiln") firings!: Firing[];
}
