import { IsBoolean, IsObject, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, ReferredBy, Stored } from "emberset";
import { Coat } from "./coat.js";
import { Tracked } from "./tracked.js";

@Stored<Glaze>({ note: "A glaze recipe" })
export class Glaze extends Tracked {
  @IsString() @MaxLength(60) @Field({ unique: true }) name!: string;
  @IsBoolean() @Field({ default: true }) foodSafe = true;
  @IsOptional() @IsObject() @Field({ note: "Grams by ingredient" }) recipe?: Record<string, number>;
  @ReferredBy(() => Coat, "glaze") coats!: Coat[];
}
