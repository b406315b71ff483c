import { VERSION } from "../version.js";

// The version alone is asked for by scripts and editors: it does without the parser of arguments.
const args = process.argv.slice(2);
if (args.length === 1 && (args[0] === "--version" || args[0] === "-v")) {
  process.stdout.write(`${VERSION}\n`);
} else {
  const { main } = await import("./main.js");
  const status = await main(args);
  // Once both are written out; to wait until Node has nothing left to do takes a tenth of its own start.
  process.stdout.write("", () => process.stderr.write("", () => process.exit(status)));
}
