import { describeRule } from "../../change/words.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import { DIFFERENCES, DIFFERENCES_OF_RULES, TOLD, type Difference } from "../../lower/differences.js";
import { keysOf } from "../../lists.js";
import type { Column } from "../../schema/types.js";
import type { EntityDescription, FieldDescription, Whole } from "../read/descriptions.js";
import { NOTHING_TO_DO } from "../read/findings.js";
import { isHeld } from "../read/resolving.js";
import { shortfallsOf } from "../rules/room.js";
import { heldBy, letsBeMissing, writtenAs } from "../rules/standing.js";
import type { Held } from "../rules/stated.js";
import type { Validator } from "../rules/validator.js";
import { listed, type Review } from "./review.js";

/** Where validate() and the database do not say the same: rules, values, what may be missing. */
export function adviseOnTruth(review: Review): void {
  for (const entity of review.resolver.entities) {
    for (const { field, column } of review.resolver.columnsOf(entity)) {
      if (field.facts.refersTo || column.computed) continue;
      const one = { entity, field, column, review };
      if (isHeld(entity, field)) rulesLeft(one);
      values(one);
      missing(one);
    }
    wholes(entity, review);
  }
  typesOtherwise(review);
}

interface One {
  readonly entity: EntityDescription;
  readonly field: FieldDescription;
  readonly column: Column;
  readonly review: Review;
}

const whereOf = ({ entity, field }: One) => ({ entity: entity.name, property: field.property });

/** Rules, and parts of them, that no database holds, or not each. */
function rulesLeft(one: One): void {
  const { field, column, review } = one;
  const { report } = review;
  for (const { written, reason } of field.aside)
    report("A324", whereOf(one), `${written}() holds in the program only: ${reason}`, BY_PROGRAM);
  for (const validator of field.validators) {
    const held = heldBy(column, validator);
    const name = `${writtenAs(validator)}()`;
    if (held.left !== undefined) {
      const remedy = held.fault ? "give the rule, or the field's type, another form" : BY_PROGRAM;
      const what = `${name} holds in the program only: ${held.left}`;
      report(held.fault ? "A300" : "A324", whereOf(one), what, remedy);
    }
    if (held.differs)
      report(
        "A325",
        whereOf(one),
        `${name} is held, but for this: ${DIFFERENCES_OF_RULES[held.differs]}`,
        BY_PROGRAM,
      );
    unheld(one, validator, held);
  }
}

const BY_PROGRAM = "the program keeps to it with validate(); rows written past it are not held to it";

/** What a dialect in use cannot hold of a rule. */
function unheld(one: One, validator: Validator, { rules }: Held): void {
  const { review } = one;
  for (const dialect of review.dialects)
    for (const rule of rules) {
      const reason = dialect.types.cannotHold(rule);
      if (reason === undefined) continue;
      const isOwn = validator.name === "matches";
      const name = isOwn ? describeRule(rule) : `${writtenAs(validator)}()`;
      const what = `${name} holds in the program only: ${reason}`;
      review.report(isOwn ? "A300" : "A324", whereOf(one), what, BY_PROGRAM);
    }
}

/** Values that validate() takes and the column does not. */
function values(one: One): void {
  const { entity, field, column, review } = one;
  const sized = review.dialects.some(({ types }) => types.holdsSizes);
  if ("length" in column.type && !sized && !isHeld(entity, field)) return;
  const stated = field.validators.flatMap(validator => heldBy(column, validator).rules);
  // Where the type follows from the rules, what it has no room for is nobody's mistake.
  const said = field.facts.field?.type !== undefined;
  for (const { values: some, remedy, how } of shortfallsOf(column, field.validators, stated, sized)) {
    const what = `validate() takes ${some}, and the column does not`;
    if (how === "far" || (how === "near" && !said)) review.report("A325", whereOf(one), what, remedy);
    else review.report("A321", whereOf(one), `${field.property}: ${what}`, remedy);
  }
}

/** What may be left out in one place and not in the other. */
function missing(one: One): void {
  const { field, column, review } = one;
  const { validators } = field;
  const comesByItself = column.default ?? column.identity ?? column.stamp;
  if (column.nullable || validators.length === 0) return;
  const lenient = validators.every(letsBeMissing);
  if (lenient && comesByItself === undefined)
    review.report(
      "A322",
      whereOf(one),
      `${field.property} is required, and validate() lets it be missing`,
      "add @IsDefined(), or @IsOptional() where it may be missing",
    );
  if (lenient || column.default?.kind !== "value" || field.within.length > 0) return;
  const declared = review.declared(one.entity, field.property);
  if (!declared || declared.initial) return;
  const value = JSON.stringify(column.default.value);
  review.report(
    "A323",
    whereOf(one),
    "Where it is left out, the database would put its default, but validate() refuses the object",
    `give the property that value from the start, as ${field.property} = ${value}`,
  );
}

/** Value objects that validate() does not look into, or lets be missing. */
function wholes(entity: EntityDescription, { report }: Review): void {
  const seen = new Map<string, Whole>();
  for (const { within } of entity.fields)
    for (const whole of within) if (whole.kind === "inline") seen.set(whole.of, whole);
  for (const { of, optional, nested, defined } of seen.values()) {
    const lacks = [
      ...(optional || defined ? [] : ["@IsDefined()"]),
      ...(nested ? [] : ["@ValidateNested()"]),
    ];
    if (lacks.length === 0) continue;
    const what = nested
      ? `${of} is required, and validate() lets it be missing`
      : `validate() does not look into ${of}`;
    report("A326", { entity: entity.name, property: of }, what, `add ${lacks.join(" ")}`);
  }
}

/** A difference, where it was met first, and all that it is about. */
interface Otherwise {
  readonly first: { readonly entity: string; readonly property: string };
  readonly fields: Set<FieldDescription>;
  readonly titles: Set<string>;
}

/** What columns of a type see otherwise than the program, once for each dialect. */
function typesOtherwise({ resolver, dialects, report }: Review): void {
  const found = new Map<Difference, Otherwise>();
  for (const entity of resolver.entities)
    for (const { field, column } of resolver.columnsOf(entity))
      for (const dialect of dialects)
        for (const difference of differencesOn(dialect, column, field.facts.key !== undefined)) {
          if (!TOLD.includes(difference) || field.validators.length === 0) continue;
          const where = { entity: entity.name, property: field.property };
          const entry = found.get(difference) ?? { first: where, fields: new Set(), titles: new Set() };
          found.set(difference, entry);
          entry.titles.add(dialect.title);
          entry.fields.add(field);
        }
  for (const [difference, { first, fields, titles }] of found) {
    const where = fields.size === 1 ? "one field" : `${fields.size} fields`;
    const what = `On ${listed([...titles])}, in ${where}: ${DIFFERENCES[difference]}`;
    report("A325", first, what, NOTHING_TO_DO);
  }
}

/** Where a column, whatever its rules, and the program see values otherwise on a dialect. */
export function differencesOn(dialect: Dialect, column: Column, inKey = false): Difference[] {
  const { nullable, default: value } = column;
  const takesNull = !nullable && (inKey || value?.kind === "sql");
  return keysOf(DIFFERENCES).filter(
    name =>
      dialect.types.differences[name]?.includes(column.type.kind) && (takesNull || name !== "null is now"),
  );
}
