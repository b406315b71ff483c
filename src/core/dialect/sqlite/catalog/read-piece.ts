import type { Action, Column, ForeignKey, Key, Unique } from "../../../schema/types.js";
import { termsText } from "../../shared/terms.js";
import { NAME } from "../types.js";
import { NO_OPTIONS, optionsOf, withOptions } from "./names.js";
import { readIndexedColumns, type Reader } from "./reader.js";

export const CONSTRAINT_WORDS = new Set(["CONSTRAINT", "PRIMARY", "UNIQUE", "CHECK", "FOREIGN"]);
const AFTER_TYPE = new Set([
  "CONSTRAINT",
  "PRIMARY",
  "NOT",
  "NULL",
  "UNIQUE",
  "CHECK",
  "DEFAULT",
  "COLLATE",
  "REFERENCES",
  "GENERATED",
  "AS",
  "ON",
  "DEFERRABLE",
]);

/** A column while it is read: filled in place, since a large catalog has many. */
type ColumnDraft = { -readonly [Fact in keyof Column]: Column[Fact] };

/** Columns and constraints as written; expressions and names wait until all columns of the table are known. */
interface PieceDraft {
  readonly columns: Column[];
  readonly uniques: Unique[];
  readonly foreignKeys: ForeignKey[];
  readonly checks: { readonly name: string; readonly text: string }[];
  key: Key | undefined;
  /** `INTEGER PRIMARY KEY DESC` is no rowid: https://sqlite.org/lang_createtable.html#rowid */
  descendingKey: boolean;
}

export type Piece = Readonly<PieceDraft>;

/** A piece of CREATE TABLE of which nothing has been read yet. */
export function emptyPiece(): PieceDraft {
  return { columns: [], uniques: [], foreignKeys: [], checks: [], key: undefined, descendingKey: false };
}

/** Adds what one piece of CREATE TABLE says to a table's draft. */
export function append(piece: Piece, to: PieceDraft): void {
  for (const column of piece.columns) to.columns.push(column);
  for (const unique of piece.uniques) to.uniques.push(unique);
  for (const foreignKey of piece.foreignKeys) to.foreignKeys.push(foreignKey);
  for (const check of piece.checks) to.checks.push(check);
  if (!piece.key) return;
  to.key = piece.key;
  to.descendingKey = piece.descendingKey;
}

/** One column, or constraints: the comma between those may be left out. */
export function readPiece(reader: Reader, piece: PieceDraft): void {
  const pieceReader = new PieceReader(reader, piece);
  while (!reader.isAtEnd()) {
    if (reader.isWord(CONSTRAINT_WORDS)) pieceReader.readTableConstraint();
    else pieceReader.readColumn();
  }
}

class PieceReader {
  constructor(
    private readonly reader: Reader,
    private readonly piece: PieceDraft,
  ) {}

  readColumn(): void {
    const { reader } = this;
    const name = reader.name();
    const type = reader.textUntil(AFTER_TYPE).replace(/\s+/g, " ");
    const column: ColumnDraft = { name, type: { kind: "native", sql: { [NAME]: type } }, nullable: true };
    let constraint = "";
    while (!reader.isAtEnd()) {
      if (reader.takeWords("CONSTRAINT")) constraint = reader.name();
      else {
        this.readColumnConstraint(column, constraint);
        constraint = "";
      }
    }
    this.piece.columns.push(column);
  }

  private readColumnConstraint(column: ColumnDraft, constraint: string): void {
    const { reader } = this;
    // Told by the first word: most columns have few of many.
    const word = reader.word();
    reader.skip();
    switch (word) {
      case "PRIMARY":
        reader.takeWords("KEY");
        this.readInlineKey(column, constraint);
        break;
      case "NOT":
        if (!reader.takeWords("NULL")) break;
        column.nullable = false;
        for (const conflict of Object.values(this.readConflict()))
          column.options = optionsOf({ "not null on conflict": conflict });
        break;
      case "UNIQUE":
        this.piece.uniques.push({
          name: constraint,
          columns: [column.name],
          ...withOptions(this.readConflict()),
        });
        break;
      case "CHECK":
        this.piece.checks.push({ name: constraint, text: reader.parenthesized() });
        this.readConflict();
        break;
      case "DEFAULT":
        column.default = { kind: "sql", sql: reader.defaultText() };
        break;
      case "COLLATE":
        column.collation = reader.name();
        break;
      case "REFERENCES":
        this.piece.foreignKeys.push(this.readReference(constraint, [column.name]));
        break;
      case "GENERATED":
        reader.takeWords("ALWAYS", "AS");
        column.computed = this.readComputed();
        break;
      case "AS":
        column.computed = this.readComputed();
        break;
      default:
      // NULL, which says nothing, and whatever a later version knows.
    }
  }

  private readInlineKey(column: ColumnDraft, constraint: string): void {
    const { reader } = this;
    const descending = reader.takeWords("DESC");
    if (descending) this.piece.descendingKey = true;
    else reader.takeWords("ASC");
    const terms = descending ? { terms: termsText(["DESC"]) } : {};
    this.piece.key = {
      name: constraint,
      columns: [column.name],
      ...withOptions({ ...terms, ...this.readConflict() }),
    };
    if (reader.takeWords("AUTOINCREMENT")) column.identity = "serial";
  }

  private readComputed(): NonNullable<Column["computed"]> {
    const sql = this.reader.parenthesized();
    const stored = this.reader.takeWords("STORED");
    if (!stored) this.reader.takeWords("VIRTUAL");
    return { sql, stored };
  }

  readTableConstraint(): void {
    const { reader, piece } = this;
    const name = reader.takeWords("CONSTRAINT") ? reader.name() : "";
    const word = reader.word();
    reader.skip();
    switch (word) {
      case "PRIMARY":
        reader.takeWords("KEY");
        piece.key = { name, ...this.readKeyed() };
        break;
      case "UNIQUE":
        piece.uniques.push({ name, ...this.readKeyed() });
        break;
      case "CHECK":
        piece.checks.push({ name, text: reader.parenthesized() });
        this.readConflict();
        break;
      case "FOREIGN": {
        reader.takeWords("KEY");
        const columns = readIndexedColumns(reader).map(part => part.name ?? part.text);
        if (reader.takeWords("REFERENCES")) piece.foreignKeys.push(this.readReference(name, columns));
        break;
      }
      default:
      // Whatever a later version knows.
    }
  }

  /** The columns of a key or a unique constraint, and how each is compared and sorted where that is unusual. */
  private readKeyed(): Omit<Unique, "name"> {
    const parts = readIndexedColumns(this.reader);
    const columns = parts.map(part => part.name ?? part.text);
    const conflict = this.readConflict();
    if (parts.every(({ collation, descending }) => collation === undefined && !descending))
      return { columns, ...withOptions(conflict) };
    const terms = parts.map(({ collation, descending }) =>
      [collation === undefined ? "" : `COLLATE ${collation}`, descending ? "DESC" : ""]
        .filter(Boolean)
        .join(" "),
    );
    return { columns, ...withOptions({ terms: termsText(terms), ...conflict }) };
  }

  private readReference(name: string, columns: readonly string[]): ForeignKey {
    const { reader } = this;
    const table = reader.name();
    const referred = reader.isSymbol("(")
      ? readIndexedColumns(reader).map(part => part.name ?? part.text)
      : [];
    const actions: { onDelete: Action; onUpdate: Action } = { onDelete: "no action", onUpdate: "no action" };
    let deferrable: ForeignKey["deferrable"];
    while (!reader.isAtEnd()) {
      if (reader.takeWords("ON", "DELETE")) actions.onDelete = this.readAction();
      else if (reader.takeWords("ON", "UPDATE")) actions.onUpdate = this.readAction();
      else if (reader.takeWords("MATCH")) reader.skip();
      else if (reader.takeWords("NOT", "DEFERRABLE")) void (reader.takeWords("INITIALLY") && reader.skip());
      else if (reader.takeWords("DEFERRABLE")) {
        deferrable = "immediate";
        if (reader.takeWords("INITIALLY") && reader.next().toUpperCase() === "DEFERRED")
          deferrable = "deferred";
      } else break;
    }
    return {
      name,
      columns,
      references: { table, columns: referred },
      ...actions,
      ...(deferrable && { deferrable }),
      ...(referred.length === 0 && withOptions({ columns: "implied" })),
    };
  }

  private readAction(): Action {
    const { reader } = this;
    if (reader.takeWords("SET", "NULL")) return "set null";
    if (reader.takeWords("SET", "DEFAULT")) return "set default";
    if (reader.takeWords("NO", "ACTION")) return "no action";
    return reader.next().toLowerCase() === "cascade" ? "cascade" : "restrict";
  }

  /** ON CONFLICT clauses are SQLite's alone: https://sqlite.org/lang_conflict.html */
  private readConflict(): Record<string, string> {
    if (!this.reader.takeWords("ON", "CONFLICT")) return NO_OPTIONS;
    return { "on conflict": this.reader.next().toLowerCase() };
  }
}
