import { IsEmail, IsOptional, IsString, MaxLength, MinLength } from "class-validator";
import { Field, ReferredBy, RefersTo, Stored } from "emberset";
import { Piece } from "./piece.js";
import { Tracked } from "./tracked.js";

@Stored<Potter>({ note: "A member of the co-operative" })
export class Potter extends Tracked {
  @IsString() @MinLength(2) @MaxLength(80) name!: string;
  @IsOptional() @IsEmail() @Field({ unique: true }) email?: string;
  @Field({ type: "date" }) joinedOn!: Date;
  @IsOptional() @RefersTo(() => Potter, { onDelete: "set null" }) mentor?: Potter;
  @ReferredBy(() => Potter, "mentor") apprentices!: Potter[];
  @ReferredBy(() => Piece, "potter") pieces!: Piece[];
}
