/**
 * Mistakes that the compiler must catch. `tsc` reads this file with the rest: a mistake that passes makes its
 * `@ts-expect-error` an error.
 */
import { IsInt, IsString } from "class-validator";
import { Field, Key, PairedWith, ReferredBy, RefersTo, Stamp, Stored, type Project } from "emberset";

@Stored<Potter>({ unique: [["name"]], indexes: [{ fields: ["name"] }] })
export class Potter {
  @IsString() name!: string;
  @ReferredBy(() => Piece, "potter") pieces!: Piece[];
  // @ts-expect-error -- no such field on the other side
  @ReferredBy(() => Piece, "maker") made!: Piece[];
  // @ts-expect-error -- the property holds another class
  @ReferredBy(() => Piece, "potter") kilns!: Kiln[];
}

// @ts-expect-error -- an unknown field in `unique`
@Stored<Kiln>({ unique: [["nmae"]] })
export class Kiln {
  @IsString() name!: string;
  @IsInt() volume!: number;
}

// @ts-expect-error -- the options of another class
@Stored<Kiln>()
export class Shelf {
  @IsString() label!: string;
}

@Stored()
export class Piece {
  @Key({ generate: "uuid" }) id!: string;
  @RefersTo(() => Potter, { onDelete: "set null" }) potter?: Potter | null;
  // @ts-expect-error -- the property holds another class
  @RefersTo(() => Potter) kiln!: Kiln;
  // @ts-expect-error -- not an action
  @RefersTo(() => Kiln, { onDelete: "explode" }) fired!: Kiln;
  // @ts-expect-error -- one, not many
  @PairedWith(() => Kiln) kilns!: Kiln;
  // @ts-expect-error -- not a moment
  @Stamp("created") made!: number;
  // @ts-expect-error -- not a type
  @Field({ type: "varchr(9)" }) tag!: string;
}

export const project = {
  // @ts-expect-error -- not a dialect
  targets: { local: { dialect: "sqlight", file: "a.db" } },
} satisfies Project;
