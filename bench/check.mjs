// What reading models takes: `check` of a thousand made-up entities, against compiling and loading the same files bare.
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const FILES = 100;
const ENTITIES = 10;

export function checkRatio({ scratch, program, compareCommands }) {
  const folder = join(scratch, "models");
  mkdirSync(join(folder, "models"), { recursive: true });
  writeFileSync(
    join(folder, "emberset.config.ts"),
    'export default { targets: { local: { dialect: "sqlite", file: "a.db" } } };\n',
  );
  for (let file = 0; file < FILES; file += 1)
    writeFileSync(join(folder, "models", `batch${file}.ts`), textOf(file));
  const node = process.execPath;
  return compareCommands(
    "`emberset check`, 1,000 entities in 100 files : esbuild and class-validator, the same files bare",
    2,
    [node, program, "check"],
    [node, join(import.meta.dirname, "load.mjs"), join(folder, "models")],
    { cwd: folder, runs: 9 },
  );
}

/** Ten entities, each with eight fields, rules on most, a reference within the file and one to the file before. */
function textOf(file) {
  const before = Math.max(0, file - 1);
  const classes = Array.from({ length: ENTITIES }, (_, at) => {
    const name = `Piece${file}x${at}`;
    const other = `Piece${file}x${(at + 1) % ENTITIES}`;
    return `@Stored<${name}>({ note: "A made-up piece" })
export class ${name} {
  @IsString() @MaxLength(120) title!: string;
  @IsString() @Length(3, 12) @Field({ unique: true }) code!: string;
  @IsOptional() @IsInt() @Min(1) @Max(40000) weight?: number;
  @IsIn(["greenware", "bisque", "glazed"]) @Field({ default: "greenware" }) stage!: string;
  @IsNumber({ maxDecimalPlaces: 2 }) @Min(0) price!: number;
  @IsBoolean() sold!: boolean;
  @IsOptional() @RefersTo(() => ${other}) next?: ${other};
  @IsOptional() @RefersTo(() => Piece${before}x${at}) before?: Piece${before}x${at};
}
`;
  });
  const imports =
    file === 0
      ? ""
      : `import { ${Array.from({ length: ENTITIES }, (_, at) => `Piece${before}x${at}`).join(", ")} } from "./batch${before}.js";\n`;
  return `import { IsBoolean, IsIn, IsInt, IsNumber, IsOptional, IsString, Length, Max, MaxLength, Min } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
${imports}
${classes.join("\n")}`;
}
