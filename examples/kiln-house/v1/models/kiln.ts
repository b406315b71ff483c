import { IsIn, IsInt, IsPositive, IsString, MaxLength } from "class-validator";
import { Field, Stored } from "emberset";

@Stored<Kiln>()
export class Kiln {
  @IsString() @MaxLength(40) @Field({ unique: true }) name!: string;
  @IsIn(["electric", "gas", "wood"]) fuel!: string;
  @IsInt() @IsPositive() volumeLitres!: number;
}
