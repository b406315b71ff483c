/** The two scripts of a migration, and running them. */
export type Direction = "forward" | "back";
