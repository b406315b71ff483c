import type { PageChange } from "../core/chart/page-data.js";
import { boxes, data, find, links } from "./dom.js";

/** A slider over the migrations, which plays how the schema grew. */
export function watchHistory(): void {
  const { steps } = data;
  if (steps.length < 2) return;
  find("history").hidden = false;
  const range = find("step") as HTMLInputElement;
  const born = birthsOf(steps.map(({ changes }) => changes));
  range.max = String(steps.length - 1);
  range.value = range.max;
  const toStep = (at: number, isMoved: boolean) => {
    const step = steps[at]!;
    const isLast = at === steps.length - 1;
    for (const [address, box] of boxes) {
      const own = step.changes.filter(({ table }) => table === address);
      box.classList.toggle("away", (born.get(address) ?? 0) > at);
      box.classList.toggle("fresh", isMoved && own.length > 0);
      for (const row of box.querySelectorAll<SVGGElement>(".row")) {
        const key = `${address}\n${row.dataset["column"]!}`;
        row.classList.toggle("away", (born.get(key) ?? 0) > at);
        row.classList.toggle("fresh", isMoved && born.get(key) === at);
      }
    }
    for (const link of links) {
      const { from = "", to = "", columns = "", pair } = link.dataset;
      const ends = [pair ?? from, from, to, `${from}\n${columns}`];
      link.classList.toggle(
        "away",
        ends.some(each => (born.get(each) ?? 0) > at),
      );
    }
    const words = isMoved
      ? ` · ${step.changes
          .map(change => change.words)
          .slice(0, 4)
          .join(" · ")}${step.changes.length > 4 ? ` · and ${step.changes.length - 4} more` : ""}`
      : "";
    find("step-words").textContent =
      isLast && !isMoved ? `${step.name}, the newest` : `${step.name} ${step.title}${words}`;
  };
  toStep(steps.length - 1, false);
  range.addEventListener("input", () => toStep(Number(range.value), true));
  let timer: ReturnType<typeof setInterval> | undefined;
  const play = find("play");
  const stop = () => {
    clearInterval(timer);
    timer = undefined;
    play.textContent = "Play";
  };
  play.addEventListener("click", () => {
    if (timer !== undefined) return stop();
    let next = range.value === range.max ? 0 : Number(range.value) + 1;
    const forward = () => {
      range.value = String(next);
      toStep(next, true);
      next += 1;
      if (next >= steps.length) stop();
    };
    play.textContent = "Stop";
    timer = setInterval(forward, 1400);
    forward();
  });
}

/** At which step a table, or a column of one, arrived; of those that no step tells of, the first. */
function birthsOf(steps: readonly (readonly PageChange[])[]): Map<string, number> {
  const born = new Map<string, number>();
  steps.forEach((changes, at) => {
    for (const { table, arrives } of changes)
      if (arrives !== undefined) born.set(arrives === "" ? table : `${table}\n${arrives}`, at);
  });
  return born;
}
