// Runs the pending migrations of a project through the programmatic API and prints the milliseconds it took: reading the
// config, the history and the ledger, running, and looking at the database afterwards. `status` is asked first, so that
// the program and the driver are loaded.
import { forward, status } from "../dist/tasks.js";

const project = process.argv[2];
await status({ project });
const start = performance.now();
const { ran } = await forward({ project });
if (ran.length !== 100) throw new Error(`${ran.length} migrations ran`);
console.log(performance.now() - start);
