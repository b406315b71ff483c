import { existsSync, readFileSync } from "node:fs";
import { pathToFileURL } from "node:url";
import { chromium, type Browser, type Page } from "playwright-core";
import { afterAll, describe, expect, test } from "vitest";
import { drafted, kilnHouse, type Studio } from "./studio.js";

test("a chart of the models as every kind of file, the same again to the byte", () => {
  const studio = drafted();
  const files = ["svg", "png", "html", "mmd", "dot"].map(ending => `chart.${ending}`);
  const outs = files.flatMap(file => ["--out", file]);
  expect(studio.ok("chart", ...outs)).toBe(
    "chart.svg, chart.png, chart.html, chart.mmd, chart.dot: 7 tables and 8 relations of models\n",
  );
  const first = files.map(file => readFileSync(studio.path(file)));
  studio.ok("chart", ...outs);
  expect(files.filter((file, at) => !readFileSync(studio.path(file)).equals(first[at]!))).toEqual([]);
  expect(first[1]!.subarray(1, 4).toString()).toBe("PNG");
  expect(studio.read("chart.mmd")).toContain('"clays" ||--o{ "pieces" : "clay_id"\n');
  expect(studio.read("chart.mmd")).toContain('    integer id PK "counted up"\n');
  expect(studio.read("chart.mmd")).toContain('"glazes" }o--o{ "pieces" : "pieces_glazes, cascade"\n');
});

test("what is around a table, what differs from another version, and what a database holds", () => {
  const studio = drafted();
  expect(studio.ok("chart", "--around", "Kiln")).toContain("2 tables and 1 relation of models");
  expect(studio.ok("chart", "--only", "gla*", "--only", "pieces")).toContain("2 tables and 1 relation");
  expect(studio.ok("chart", "--of", "target:local")).toContain("4 tables and 3 relations of target:local");
  studio.ok("chart", "--from", "0001", "--out", "a.dot");
  expect(studio.read("a.dot").match(/>[+~−] \w+/g)).toEqual(
    expect.arrayContaining([">+ glazes", ">~ pieces"]),
  );
  const before = studio.read("a.dot");
  for (const [args, code, words] of [
    [["--out", "a.pdf"], "E130", ".svg"],
    [["--around", "Pot"], "E131", "clays"],
    [["--only", "x*"], "E131", "clays"],
    [["--of", "empty"], "E132", "has no tables"],
    [["--of", "0009"], "E106", "0001"],
  ] as const) {
    const { status, stderr } = studio.emberset("chart", "--out", "a.dot", ...args);
    expect([status, stderr]).toEqual([2, expect.stringContaining(words)]);
    expect(stderr).toMatch(new RegExp(`^${code} `));
  }
  expect(studio.read("a.dot")).toBe(before);
});

const CHROMIUM = process.env["EMBERSET_TEST_CHROMIUM"] ?? "/usr/bin/chromium";

describe.runIf(existsSync(CHROMIUM))("the page, in a browser", () => {
  let browser: Browser | undefined;
  afterAll(() => browser?.close());

  async function opened(
    studio: Studio,
    size = { width: 1280, height: 800 },
    javaScriptEnabled = true,
  ): Promise<Page> {
    browser ??= await chromium.launch({
      executablePath: CHROMIUM,
      args: "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync".split(
        " ",
      ),
    });
    const page = await browser.newPage({ viewport: size, javaScriptEnabled });
    page.on("pageerror", error => {
      throw error;
    });
    await page.goto(pathToFileURL(studio.path("chart.html")).href);
    return page;
  }

  test("finds, lights, tells of a table and goes on to the next, by pointer and by keys, and plays how it grew", async () => {
    const studio = drafted();
    studio.ok("chart", "--out", "chart.html");
    const page = await opened(studio);
    const side = page.locator("#side");
    expect(await side.innerText()).toContain("Where to start");
    await page.fill("#search", "food");
    expect(await side.locator("h2").innerText()).toBe("1 found");
    await page.keyboard.press("Enter");
    expect(await side.locator("h2").innerText()).toBe("glazes");
    expect(await side.innerText()).toContain("0002 add table glazes");
    expect(await page.locator("#stage .table.dim").count()).toBe(5);
    await page.keyboard.press("Escape");
    await page.locator('[data-table="potters"]').focus();
    await page.keyboard.press("Enter");
    expect(await side.innerText()).toContain("it cannot be deleted while they are there");
    expect(await side.locator("details").first().locator("summary").innerText()).toBe("SQLite");
    await side.locator("li", { hasText: "pieces" }).getByRole("button").first().click();
    expect(await side.locator("h2").innerText()).toBe("pieces");
    expect(page.url()).toContain("#pieces");
    await page.fill("#step", "0");
    expect(await page.locator("#stage .table:not(.away)").count()).toBe(4);
    await page.fill("#step", "1");
    expect(await page.locator("#stage .table:not(.away)").count()).toBe(7);
    const box = () => page.locator("#stage svg").getAttribute("viewBox");
    const before = await box();
    await page.mouse.move(300, 300);
    await page.mouse.wheel(0, -200);
    expect(await box()).not.toBe(before);
    await page.close();
  });

  test("on a phone the details stand below, and nothing is wider than the screen", async () => {
    const studio = drafted();
    studio.ok("chart", "--out", "chart.html");
    const page = await opened(studio, { width: 390, height: 780 });
    await page.locator('[data-table="firings"]').click();
    expect(await page.locator("#side h2").innerText()).toBe("firings");
    const card = (await page.locator('[data-table="firings"] .card').boundingBox())!;
    const side = (await page.locator("#side").boundingBox())!;
    expect(card.y + card.height).toBeLessThan(side.y);
    expect(await page.evaluate("document.documentElement.scrollWidth")).toBe(390);
    await page.close();
  });

  test("where no script may run, the drawing is there", async () => {
    const studio = drafted();
    studio.ok("chart", "--out", "chart.html");
    const page = await opened(studio, undefined, false);
    expect(await page.locator('[data-table="firings"] [data-column="id"] text').first().isVisible()).toBe(
      true,
    );
    await page.close();
  });

  test("markup in names, notes and rules is shown, and never run", async () => {
    const evil = "</script><script>document.title='run'</script><img src=x onerror=\"document.title='run'\">";
    const studio = kilnHouse();
    studio.write(
      "models/evil.ts",
      `import { IsIn, IsString } from "class-validator";
import { Field, Stored } from "emberset";
const evil = ${JSON.stringify(evil)};
@Stored({ table: "<b>bold</b>", note: evil })
export class Evil { @IsString() @IsIn([evil]) @Field({ type: "text", column: "<i onclick=x>", note: evil }) name!: string; }`,
    );
    studio.ok("chart", "--out", "chart.html");
    const page = await opened(studio);
    await page.getByRole("button", { name: "<b>bold</b>", exact: true }).click();
    expect(await page.locator("#side").innerText()).toContain(evil);
    expect(await page.title()).not.toBe("run");
    expect(await page.locator("#side img, #side b, #side i, #stage img").count()).toBe(0);
    await page.close();
  });
});
