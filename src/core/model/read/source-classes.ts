import { parse } from "@babel/parser";
import type {
  ClassDeclaration,
  ClassMethod,
  ClassProperty,
  Decorator,
  Expression,
  Program,
  Statement,
  TSType,
  TypeAnnotation,
} from "@babel/types";

/** A class as its TypeScript source has it. */
export interface SourceClass {
  readonly name: string;
  /** The line of `class`, from 1. */
  readonly line: number;
  /** Names of the decorators on it: `Stored`. */
  readonly decorators: readonly string[];
  /** Where in the text the brace stands that closes its body. */
  readonly close: number;
  readonly properties: ReadonlyMap<string, SourceProperty>;
  /**
   * Names of the properties that are there when it runs, in the order in which the compiler puts them: those of the
   * constructor's parameters first. Values that are functions are none.
   */
  readonly written: readonly string[];
}

/** A property as its class declares it. */
export interface SourceProperty {
  /** The line of its name, from 1. */
  readonly line: number;
  /** `weight?: number` */
  readonly optional: boolean;
  /** `weight: number | null`, or undefined among its types; undefined: no type is stated. */
  readonly nullable: boolean | undefined;
  /** `id!: string`, where the type is that one word. */
  readonly word: "string" | "number" | undefined;
  /** `stage = "raw"` */
  readonly initial: boolean;
  /** What a `@ReferredBy(() => Piece, "potter")` on it says: `Piece`, `potter`. */
  readonly referredBy: { readonly entity: string; readonly field: string } | undefined;
}

/** An import of names from a module, as the source has it. */
export interface SourceImport {
  readonly module: string;
  readonly start: number;
  readonly end: number;
  /** The names in braces, as they are written; undefined where it imports anything else, or types only. */
  readonly names: readonly string[] | undefined;
}

export interface Source {
  readonly classes: readonly SourceClass[];
  readonly imports: readonly SourceImport[];
}

function parsed(text: string): Program | undefined {
  try {
    return parse(text, {
      sourceType: "module",
      errorRecovery: true,
      attachComment: false,
      plugins: ["typescript", "decorators-legacy"],
    }).program;
  } catch {
    // Some faults it does not recover from, or the compiler takes for none.
    return undefined;
  }
}

/** Reads a TypeScript source. Faults in it are for the compiler to tell: what can be read is, which may be nothing. */
export function readSource(text: string): Source {
  const program = parsed(text);
  if (!program) return { classes: [], imports: [] };
  return {
    classes: program.body.flatMap(statement => {
      const declaration = declaredClass(statement);
      return declaration ? [readClass(declaration)] : [];
    }),
    imports: program.body.flatMap(statement => readImport(statement, text)),
  };
}

/** `class A {}`, `export class A {}` and `export default class A {}` */
function declaredClass(statement: Statement): ClassDeclaration | undefined {
  const declaration =
    statement.type === "ExportNamedDeclaration" || statement.type === "ExportDefaultDeclaration"
      ? statement.declaration
      : statement;
  return declaration?.type === "ClassDeclaration" ? declaration : undefined;
}

function readClass({ id, body, loc, decorators }: ClassDeclaration): SourceClass {
  const members = body.body.filter(member => member.type === "ClassProperty");
  const constructor = body.body.find(
    member => member.type === "ClassMethod" && member.kind === "constructor",
  );
  return {
    name: id?.name ?? "default",
    line: id?.loc?.start.line ?? loc?.start.line ?? 1,
    decorators: (decorators ?? []).flatMap(decorator => calledName(decorator) ?? []),
    close: (body.end ?? 1) - 1,
    properties: new Map(members.flatMap(readProperty)),
    written: [
      ...(constructor?.type === "ClassMethod" ? constructor.params.flatMap(parameterName) : []),
      ...members.flatMap(writtenName),
    ],
  };
}

function readProperty(property: ClassProperty): [string, SourceProperty][] {
  const { key, optional, typeAnnotation, static: isStatic, value } = property;
  if (isStatic || key.type !== "Identifier") return [];
  const type = typeAnnotation?.type === "TSTypeAnnotation" ? typeAnnotation.typeAnnotation : undefined;
  const source: SourceProperty = {
    line: key.loc?.start.line ?? 1,
    optional: optional === true,
    nullable: type && mayBeNull(type),
    word: wordOf(type),
    initial: value !== null && value !== undefined,
    referredBy: (property.decorators ?? []).map(referredBy).find(Boolean),
  };
  return [[key.name, source]];
}

/** `constructor(readonly title: string)` */
function parameterName(parameter: ClassMethod["params"][number]): string[] {
  if (parameter.type !== "TSParameterProperty") return [];
  const name =
    parameter.parameter.type === "AssignmentPattern" ? parameter.parameter.left : parameter.parameter;
  return name.type === "Identifier" ? [name.name] : [];
}

function writtenName({ key, value, computed, declare, abstract, static: isStatic }: ClassProperty): string[] {
  const isFunction = value?.type === "ArrowFunctionExpression" || value?.type === "FunctionExpression";
  const isThere = !computed && !declare && !abstract && !isStatic && !isFunction;
  return isThere && key.type === "Identifier" ? [key.name] : [];
}

function wordOf(type: TSType | TypeAnnotation | undefined): SourceProperty["word"] {
  if (type?.type === "TSStringKeyword") return "string";
  return type?.type === "TSNumberKeyword" ? "number" : undefined;
}

function mayBeNull(type: TSType | TypeAnnotation): boolean {
  if (type.type === "TSUnionType") return type.types.some(mayBeNull);
  return type.type === "TSNullKeyword" || type.type === "TSUndefinedKeyword";
}

/** The name of what a decorator calls: `@Stored()` → `Stored`. */
function calledName({ expression }: Decorator): string | undefined {
  const called = expression.type === "CallExpression" ? expression.callee : expression;
  return called.type === "Identifier" ? called.name : undefined;
}

function referredBy(decorator: Decorator): SourceProperty["referredBy"] {
  const { expression } = decorator;
  if (calledName(decorator) !== "ReferredBy" || expression.type !== "CallExpression") return undefined;
  const [target, field] = expression.arguments;
  const entity = target && arrowName(target as Expression);
  return entity !== undefined && field?.type === "StringLiteral" ? { entity, field: field.value } : undefined;
}

/** `() => Piece` → `Piece` */
function arrowName(expression: Expression): string | undefined {
  return expression.type === "ArrowFunctionExpression" && expression.body.type === "Identifier"
    ? expression.body.name
    : undefined;
}

function readImport(statement: Statement, text: string): SourceImport[] {
  if (statement.type !== "ImportDeclaration") return [];
  const { specifiers, importKind, source } = statement;
  const plain = importKind !== "type" && specifiers.every(({ type }) => type === "ImportSpecifier");
  const names = specifiers.map(({ start, end }) => text.slice(start ?? 0, end ?? 0));
  return [
    {
      module: source.value,
      start: statement.start ?? 0,
      end: statement.end ?? 0,
      names: plain ? names : undefined,
    },
  ];
}
