import { createHash } from "node:crypto";
import { sayAccess, type RoleAccess } from "../core/chart/access.js";
import type { Chart } from "../core/chart/types.js";
import type { FontFaces } from "../core/chart/draw-svg.js";
import type { Layout } from "../core/chart/placed.js";
import { pageData, type Step } from "../core/chart/page-data.js";
import { writePage } from "../core/chart/page.js";
import { DIALECT_TITLES, type DialectName } from "../core/dialect/registry.js";
import { blocksFor } from "../core/plan/plan.js";
import { addressOf, tablesByAddress } from "../core/schema/address.js";
import { EMPTY_SCHEMA, isObject, type ObjectDefinition } from "../core/schema/types.js";
import { textFor } from "../core/sql/placeholders.js";
import { showNumber } from "../history/migration.js";
import { showSql } from "../core/change/words.js";
import { rowsSaid } from "./access.js";
import { asset } from "./assets.js";
import type { OpenProject } from "./open-project.js";
import type { Point } from "./points.js";

/** A chart, and what it is one of. */
export interface Pictured {
  readonly chart: Chart;
  readonly title: string;
  readonly project: OpenProject;
  /** In portable words. */
  readonly point: Point;
}

/** The chart as a page to move about in. */
export function writeChartPage(
  { chart, title, project, point }: Pictured,
  layout: Layout,
  font: FontFaces,
): string {
  return writePage({
    layout,
    font,
    data: pageData(title, chart, stepsTo(project, point), sqlOf(project, point), accessIn(project, point)),
    script: asset("page.js").toString("utf8").trim(),
    style: asset("page-style.css").toString("utf8"),
    sumOf: text => createHash("sha256").update(text).digest("base64"),
  });
}

/** The migrations that lead to a version, and what the models have beyond them. */
function stepsTo({ history }: OpenProject, { migrations: last, beyond = [] }: Point): Step[] {
  const steps = history()
    .migrations.filter(({ number }) => number <= last)
    .map(({ number, title, changes }): Step => ({ name: showNumber(number), title, changes }));
  return beyond.length === 0
    ? steps
    : [...steps, { name: "models", title: "not drafted yet", changes: beyond }];
}

/** What the config's roles may do with a table. */
function accessIn({ settings: { roles } }: OpenProject, { schema, models }: Point) {
  const byAddress = tablesByAddress(schema);
  return (address: string): RoleAccess[] => {
    const table = byAddress.get(address);
    const rows = models ? rowsSaid(models, address) : [];
    const seen = new Map(rows.map(({ role, sql }) => [role, showSql(sql)]));
    return table ? sayAccess(table, roles, seen) : [];
  };
}

/** An object in the words of each dialect that has it. */
function textsOf(
  object: ObjectDefinition | undefined,
  dialects: OpenProject["dialects"],
): Record<string, string> {
  return Object.fromEntries(
    dialects.flatMap(dialect => {
      const text = object && textFor(object.sql, dialect.name);
      return text === undefined ? [] : [[DIALECT_TITLES[dialect.name as DialectName], `${text};`]];
    }),
  );
}

/** What makes a table, in the words of each dialect in use. */
function sqlOf({ dialects }: OpenProject, { schema: { tables, definitions = [] } }: Point) {
  const byAddress = new Map(tables.map(table => [addressOf(table), table]));
  const types = definitions.filter(each => !isObject(each));
  const objects = new Map(definitions.filter(isObject).map(each => [addressOf(each), each]));
  return (address: string): Record<string, string> => {
    const table = byAddress.get(address);
    if (!table) return textsOf(objects.get(address), dialects);
    return Object.fromEntries(
      dialects.map(dialect => {
        const blocks = blocksFor(dialect, { ...EMPTY_SCHEMA, definitions: types }, [
          { kind: "add table", table },
        ]);
        return [
          DIALECT_TITLES[dialect.name as DialectName],
          blocks.flatMap(({ statements }) => statements.map(each => `${each};`)).join("\n\n"),
        ];
      }),
    );
  };
}
