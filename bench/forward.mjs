// Runs the pending migrations of a project through the programmatic API and prints the milliseconds it took: reading the
// config, the history and the ledger, running, and looking at the database afterwards.
import { forward } from "../dist/tasks.js";

const start = performance.now();
const { ran } = await forward({ project: process.argv[2] });
if (ran.length !== 100) throw new Error(`${ran.length} migrations ran`);
console.log(performance.now() - start);
