import pluralize from "pluralize";
import { constraintName, pairColumnName, pairTableName } from "../../schema/naming.js";
import type { Action, Column, ForeignKey, Table } from "../../schema/types.js";
import type { ColumnResolver } from "./column-resolver.js";
import { isStored } from "./resolving.js";
import type { EntityDescription, FieldDescription } from "./descriptions.js";
import type { Report } from "./findings.js";

/** References between tables, and the tables of pairs. */
export class Relations {
  constructor(
    private readonly resolver: ColumnResolver,
    private readonly report: Report,
  ) {}

  foreignKeys(entity: EntityDescription, table: string): ForeignKey[] {
    return entity.fields.flatMap(field => {
      const reference = isStored(field) && field.facts.refersTo;
      const target = reference && this.resolver.entityOf(reference.target());
      if (!reference || !target) return [];
      const columns = this.resolver.namesOf(entity, field.property);
      if (columns.length === 0) return [];
      const { to, name, deferrable, options, fields } = reference.options;
      const referred = to
        ? this.resolver.referredColumns(entity, field, target, to)
        : this.resolver.keyColumns(target);
      if (fields && columns.length !== referred.length) {
        this.report(
          "E228",
          { entity: entity.name, property: field.property },
          `The reference is over ${columns.length} columns, and what it refers to has ${referred.length}`,
          "name one field for each column referred to",
        );
      }
      const actions = {
        onDelete: reference.options.onDelete ?? "restrict",
        onUpdate: reference.options.onUpdate ?? "no action",
      } as const;
      return [
        {
          ...foreignKey(table, columns, this.resolver.address(target), referred, actions),
          ...(name !== undefined && { name }),
          ...(deferrable && { deferrable }),
          ...(options && { options }),
        },
      ];
    });
  }

  checkReferredBy(entity: EntityDescription): void {
    for (const field of entity.fields) {
      const { referredBy } = field.facts;
      if (!referredBy) continue;
      const target = this.resolver.target(entity, field);
      const named = (target?.fields ?? []).filter(
        ({ property, within }) => property === referredBy.field || within[0]?.of === referredBy.field,
      );
      const other = named[0];
      const pointsHere = ({ facts }: FieldDescription) =>
        (facts.refersTo ?? facts.pairedWith)?.target() === entity.cls;
      if (!target || named.some(pointsHere)) continue;
      const pointing = target.fields.filter(pointsHere);
      const what = other
        ? `${target.name}.${referredBy.field} does not refer to ${entity.name}`
        : `${target.name} has no field ${referredBy.field}`;
      const remedy =
        pointing.length > 0
          ? `name ${pointing.map(({ property }) => property).join(" or ")}`
          : `add to ${target.name}: @RefersTo(() => ${entity.name}) ${referredBy.field}!: ${entity.name}`;
      this.report("E224", { entity: entity.name, property: field.property }, what, remedy);
    }
  }

  /** One table for each `@PairedWith`. */
  pairTables(): { readonly table: Table; readonly owner: EntityDescription }[] {
    return this.resolver.entities.flatMap(owner =>
      owner.fields.flatMap(field => {
        const pairing = field.facts.pairedWith;
        const other = pairing && this.resolver.target(owner, field);
        return other ? [{ table: this.pairTable(owner, field, other), owner }] : [];
      }),
    );
  }

  private pairTable(owner: EntityDescription, field: FieldDescription, other: EntityDescription): Table {
    const { options } = field.facts.pairedWith!;
    const name =
      options.table ??
      pairTableName(this.resolver.tableName(owner), this.resolver.tableName(other), this.resolver.naming);
    const side = (entity: EntityDescription, called: string) =>
      this.resolver.keyColumns(entity).map((key): Column => ({
        name: pairColumnName(called, key.name, this.resolver.naming),
        type: key.type,
        nullable: false,
      }));
    const [left, right] = [
      side(owner, owner.name),
      side(other, other === owner ? pluralize.singular(field.property) : other.name),
    ];
    const [ownerNames, otherNames] = [left.map(column => column.name), right.map(column => column.name)];
    const actions = { onDelete: options.onDelete ?? "cascade", onUpdate: "no action" } as const;
    return {
      name,
      columns: [...left, ...right],
      key: { name: `pk_${name}`, columns: [...ownerNames, ...otherNames] },
      uniques: [],
      indexes: [
        { name: constraintName("ix", name, otherNames), parts: otherNames.map(column => ({ column })) },
      ],
      foreignKeys: [
        foreignKey(name, ownerNames, this.resolver.address(owner), this.resolver.keyColumns(owner), actions),
        foreignKey(name, otherNames, this.resolver.address(other), this.resolver.keyColumns(other), actions),
      ],
      checks: [],
    };
  }
}

/** @param target the address of the table referred to */
function foreignKey(
  table: string,
  columns: readonly string[],
  target: string,
  key: readonly Column[],
  actions: { readonly onDelete: Action; readonly onUpdate: Action },
): ForeignKey {
  return {
    name: constraintName("fk", table, columns),
    columns,
    references: { table: target, columns: key.map(({ name }) => name) },
    ...actions,
  };
}
