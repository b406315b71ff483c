// Opens a page in Chromium some times, each in a session of its own, and prints how many milliseconds it took in the middle
// case until it is loaded and has been drawn.
import { pathToFileURL } from "node:url";
import { chromium } from "playwright-core";

const [file, times] = process.argv.slice(2);
const browser = await chromium.launch({
  executablePath: process.env["EMBERSET_TEST_CHROMIUM"] ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-background-networking"],
});
const took = [];
for (let run = 0; run < Number(times); run += 1) {
  const session = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await session.newPage();
  const start = performance.now();
  await page.goto(pathToFileURL(file).href, { waitUntil: "load" });
  await page.evaluate("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))");
  took.push(performance.now() - start);
  await session.close();
}
await browser.close();
console.log(took.sort((a, b) => a - b)[took.length >> 1]);
