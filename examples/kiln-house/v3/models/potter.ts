import { IsEmail, IsOptional, IsString, MaxLength, MinLength } from "class-validator";
import { Field, ReferredBy, RefersTo, Stored } from "emberset";
import { Piece } from "./piece.js";
import { Tracked } from "./tracked.js";

/** Members see how to reach each other; visitors do not. */
const ITS_OWN = {
  visitor: false,
  potter: ["select"],
  treasurer: ["select", "insert", "update"],
} as const;

@Stored<Potter>({
  note: "A member of the co-operative",
  grants: { treasurer: ["insert", "update"] },
})
export class Potter extends Tracked {
  @IsString() @MinLength(2) @MaxLength(80) name!: string;
  @IsOptional() @IsEmail() @Field({ unique: true, grants: ITS_OWN }) email?: string;
  @IsOptional() @IsString() @MaxLength(30) @Field({ grants: ITS_OWN }) phone?: string;
  @Field({ type: "date" }) joinedOn!: Date;
  @IsOptional() @RefersTo(() => Potter, { onDelete: "set null" }) mentor?: Potter;
  @ReferredBy(() => Potter, "mentor") apprentices!: Potter[];
  @ReferredBy(() => Piece, "potter") pieces!: Piece[];
}
