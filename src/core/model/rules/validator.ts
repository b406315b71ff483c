/** A class-validator rule on a property, as its metadata has it. */
export interface Validator {
  /** class-validator's own name for it: `isInt`, `maxLength`. */
  readonly name: string;
  readonly constraints: readonly unknown[];
  /** The rule is about the items of an array. */
  readonly each: boolean;
}
