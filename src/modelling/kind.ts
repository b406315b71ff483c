/** Any property decorator: ours, class-validator's, or another kind. */
export type AnyPropertyDecorator = (prototype: object, property: string) => void;

/**
 * A reusable field kind: `const Cents = kind(IsInt(), Min(0), Field({ type: "bigint" }))`, then `@Cents price!: number`.
 * The decorators take effect as if they were written above the property in this order.
 */
export function kind(...decorators: readonly AnyPropertyDecorator[]): AnyPropertyDecorator {
  return (prototype, property) => {
    for (const decorate of decorators.toReversed()) decorate(prototype, property);
  };
}
