import { boxes, find, isNarrow, side, stage, svg, whole } from "./dom.js";

/** Which part of the drawing is seen. */
let view = { x: 0, y: 0, width: whole.width, height: whole.height };

let isWhole = true;

/** Shows all of the drawing. */
export function fit(): void {
  show({ x: 0, y: 0, ...whole });
  isWhole = true;
}

/** The same after the room for it changed, as long as nobody moved about. */
export function fitIfWhole(): void {
  if (isWhole) fit();
}

function show(next: typeof view): void {
  view = next;
  isWhole = false;
  // From afar, areas are named instead of what nobody can read.
  svg.classList.toggle("far", scale() > 2.6);
  svg.setAttribute("viewBox", `${view.x} ${view.y} ${view.width} ${view.height}`);
}

/** Pixels of the drawing a pixel of the screen. */
function scale(): number {
  const { clientWidth, clientHeight } = stage;
  return Math.max(view.width / Math.max(1, clientWidth), view.height / Math.max(1, clientHeight));
}

/** @param by how many times more of the drawing is seen @param at what stays where it is */
export function zoom(by: number, at?: { readonly x: number; readonly y: number }): void {
  const ratio = scale();
  const next = Math.min(
    Math.max(ratio * by, 0.25),
    Math.max((whole.width / stage.clientWidth) * 2, (whole.height / stage.clientHeight) * 2, 1),
  );
  const [width, height] = [stage.clientWidth * next, stage.clientHeight * next];
  const middle = { x: view.x + view.width / 2, y: view.y + view.height / 2 };
  const point = at ?? middle;
  const share = next / ratio;
  const moved = { x: point.x + (middle.x - point.x) * share, y: point.y + (middle.y - point.y) * share };
  show({ x: moved.x - width / 2, y: moved.y - height / 2, width, height });
}

function pan(dx: number, dy: number): void {
  show({ ...view, x: view.x + dx, y: view.y + dy });
}

function pointAt(event: { readonly clientX: number; readonly clientY: number }): { x: number; y: number } {
  const room = stage.getBoundingClientRect();
  const ratio = scale();
  const middle = { x: view.x + view.width / 2, y: view.y + view.height / 2 };
  return {
    x: middle.x + (event.clientX - room.left - room.width / 2) * ratio,
    y: middle.y + (event.clientY - room.top - room.height / 2) * ratio,
  };
}

/** @param onEmpty called for a click beside all tables */
export function watchStage(onEmpty: () => void): void {
  stage.addEventListener(
    "wheel",
    event => {
      event.preventDefault();
      zoom(Math.exp(Math.max(-60, Math.min(60, event.deltaY)) * 0.004), pointAt(event));
    },
    { passive: false },
  );
  const fingers = new Map<number, PointerEvent>();
  let gone = 0;
  stage.addEventListener("pointerdown", event => {
    fingers.set(event.pointerId, event);
    gone = 0;
  });
  stage.addEventListener("pointermove", event => {
    const last = fingers.get(event.pointerId);
    if (!last) return;
    const ratio = scale();
    const [dx, dy] = [event.clientX - last.clientX, event.clientY - last.clientY];
    gone += Math.abs(dx) + Math.abs(dy);
    // A table that is only clicked on is not moved away under the pointer.
    if (gone > 4 && !stage.hasPointerCapture(event.pointerId)) stage.setPointerCapture(event.pointerId);
    if (fingers.size === 1) pan(-dx * ratio, -dy * ratio);
    else {
      const other = [...fingers.values()].find(each => each.pointerId !== event.pointerId)!;
      const apart = (one: PointerEvent) =>
        Math.hypot(one.clientX - other.clientX, one.clientY - other.clientY);
      zoom(
        apart(last) / Math.max(1, apart(event)),
        pointAt({
          clientX: (event.clientX + other.clientX) / 2,
          clientY: (event.clientY + other.clientY) / 2,
        }),
      );
    }
    fingers.set(event.pointerId, event);
    stage.classList.add("moving");
  });
  const lift = (event: PointerEvent) => {
    fingers.delete(event.pointerId);
    stage.classList.remove("moving");
  };
  stage.addEventListener("pointerup", lift);
  stage.addEventListener("pointercancel", lift);
  stage.addEventListener(
    "click",
    event => {
      if (gone > 4) event.stopPropagation();
      else if (!(event.target as Element).closest(".table")) onEmpty();
    },
    true,
  );
  document.addEventListener("keydown", event => {
    if (event.key === "Escape") onEmpty();
    else onKey(event);
  });
}

const KEYS: Readonly<Record<string, () => void>> = {
  "+": () => zoom(0.8),
  "=": () => zoom(0.8),
  "-": () => zoom(1.25),
  "0": fit,
  ArrowLeft: () => pan(-view.width * 0.1, 0),
  ArrowRight: () => pan(view.width * 0.1, 0),
  ArrowUp: () => pan(0, -view.height * 0.1),
  ArrowDown: () => pan(0, view.height * 0.1),
  "/": () => find("search").focus(),
};

function onKey(event: KeyboardEvent): void {
  const { tagName } = event.target as Element;
  if (/^(?:INPUT|SELECT|TEXTAREA)$/.test(tagName) || event.ctrlKey || event.metaKey || event.altKey) return;
  const action = KEYS[event.key];
  if (!action) return;
  event.preventDefault();
  action();
}

/** Brings a table into sight, large enough to be read. */
export function goTo(address: string): void {
  const box = boxes.get(address)?.querySelector(".card");
  const place = /translate\(([-\d.]+) ([-\d.]+)\)/.exec(boxes.get(address)?.getAttribute("transform") ?? "");
  if (!box || !place) return;
  const [width, height] = [Number(box.getAttribute("width")), Number(box.getAttribute("height"))];
  const covered = isNarrow() && !side.hidden ? 0.58 : 0;
  const room = stage.clientHeight * (1 - covered);
  const ratio = Math.max(
    Math.min(scale(), 1.1),
    width / (stage.clientWidth * 0.8),
    height / (room * 0.85),
    0.7,
  );
  const [wide, tall] = [stage.clientWidth * ratio, stage.clientHeight * ratio];
  show({
    x: Number(place[1]) + width / 2 - wide / 2,
    y: Number(place[2]) + height / 2 - (tall * (1 - covered)) / 2,
    width: wide,
    height: tall,
  });
}
