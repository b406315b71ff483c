// The time of one `describe` of a project's home target, in milliseconds, once program and driver are loaded.
import { describe } from "../dist/tasks.js";

const [project] = process.argv.slice(2);
await describe({ project });
const start = performance.now();
await describe({ project });
console.log(performance.now() - start);
