import { expect, test } from "vitest";
import { drafted } from "./studio.js";

test("--watch runs the same again at every save of a model, and says what the models now differ in", async () => {
  const studio = drafted();
  const [child, end] = studio.interruptible("compare", "--watch");
  let out = "";
  child.stdout!.on("data", text => (out += String(text)));
  const until = async (done: () => boolean) => {
    for (let tries = 0; !done() && tries < 200; tries += 1)
      await new Promise(resolve => setTimeout(resolve, 50));
    expect(done(), out).toBe(true);
  };
  await until(() => out.includes("no difference"));
  studio.write("models/kiln.ts", studio.read("models/kiln.ts").replace("volumeLitres", "volume"));
  await until(() => /column volume\b/.test(out));
  out = "";
  studio.write("models/kiln.ts", studio.read("models/kiln.ts").replace("volume!", "volumeLitres!"));
  await until(() => out.includes("no difference"));
  studio.write("models/kiln.ts", "export class {");
  child.kill("SIGINT");
  const { stderr } = await end;
  expect(stderr).toContain("kiln.ts was saved");
});

test("what is watched must be there", () => {
  const studio = drafted();
  studio.write(
    "emberset.config.ts",
    studio
      .read("emberset.config.ts")
      .replace("models:", "// models:")
      .replace("export default {", 'export default { models: ["nowhere/*.ts"],'),
  );
  expect(studio.emberset("check", "--watch").stderr).toMatch(/^E1\d\d /);
});
