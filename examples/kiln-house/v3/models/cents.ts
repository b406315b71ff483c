import { IsInt, Min } from "class-validator";
import { Field, kind } from "emberset";

/** An amount of money in cents. */
export const Cents = kind(IsInt(), Min(0), Field({ type: "bigint" }));
