import { groupBy } from "../core/lists.js";
import type { PageTable } from "../core/chart/page-data.js";
import { boxes, byAddress, data, find, isNarrow, links, make, side, svg } from "./dom.js";
import { watchHistory } from "./growth.js";
import { fit, fitIfWhole, goTo, watchStage, zoom } from "./view.js";

/** What the page of a chart does in the browser. */
let chosen: string | undefined;
let hovered: string | undefined;
let isQuiet = false;

function start(): void {
  const wanted = matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
  document.documentElement.dataset["look"] = wanted;
  if (isNarrow()) showSide(false);
  showList();
  fit();
  watchStage(() => choose(undefined));
  watchTables();
  watchControls();
  watchHistory();
  addEventListener("resize", fitIfWhole);
  addEventListener("hashchange", fromAddress);
  fromAddress();
  svg.classList.remove("waiting");
}

// Tables

function watchTables(): void {
  for (const [address, box] of boxes) {
    box.setAttribute("tabindex", "0");
    box.setAttribute("role", "button");
    const { note, rows } = byAddress.get(address) ?? { rows: [] };
    box.setAttribute(
      "aria-label",
      [`table ${address}`, `${rows.length} columns`, note].filter(Boolean).join(", "),
    );
    box.addEventListener("click", () => {
      choose(address);
      if (isNarrow()) goTo(address);
    });
    box.addEventListener("keydown", event => {
      if (event.key !== "Enter" && event.key !== " ") return;
      event.preventDefault();
      choose(address);
    });
    const hover = (on: boolean) => () => {
      hovered = on ? address : undefined;
      light();
    };
    box.addEventListener("pointerenter", hover(true));
    box.addEventListener("pointerleave", hover(false));
    box.addEventListener("focus", hover(true));
    box.addEventListener("blur", hover(false));
  }
}

/** What is about a table stands out, all else steps back. */
function light(): void {
  const middle = hovered ?? chosen;
  const near = new Set(middle === undefined ? [] : [middle]);
  for (const link of links) {
    const { from, to } = link.dataset as { from: string; to: string };
    const isNear = middle !== undefined && (from === middle || to === middle);
    if (isNear) near.add(from).add(to);
    link.classList.toggle("lit", isNear);
    link.classList.toggle(
      "dim",
      middle !== undefined ? !isNear : isQuiet && !(matching.has(from) && matching.has(to)),
    );
  }
  for (const [address, box] of boxes) {
    box.classList.toggle("lit", address === middle);
    box.classList.toggle(
      "dim",
      middle !== undefined ? !near.has(address) : isQuiet && !matching.has(address),
    );
  }
}

function choose(address: string | undefined): void {
  if (address === undefined && chosen === undefined) return;
  chosen = address;
  hovered = undefined;
  light();
  history.replaceState(null, "", address === undefined ? " " : `#${encodeURIComponent(address)}`);
  const table = address === undefined ? undefined : byAddress.get(address);
  if (table) {
    showSide(true);
    showDetails(table);
  } else showList();
}

function fromAddress(): void {
  const address = decodeURIComponent(location.hash.slice(1));
  if (!byAddress.has(address)) return;
  choose(address);
  goTo(address);
}

function showSide(isShown: boolean): void {
  side.hidden = !isShown;
  find("list-toggle").setAttribute("aria-expanded", String(isShown));
  fitIfWhole();
}

// The side: a list of all tables, or one of them

let matching = new Set(data.tables.map(({ address }) => address));

function showList(): void {
  const found = data.tables.filter(({ address }) => matching.has(address));
  const most = [...data.tables]
    .filter(({ referredBy }) => referredBy.length > 0)
    .sort((a, b) => b.referredBy.length - a.referredBy.length);
  const start = isQuiet
    ? []
    : [
        make("h3", {}, "Where to start"),
        make("p", { class: "quiet" }, "What most others refer to:"),
        make(
          "ul",
          {},
          ...most
            .slice(0, 6)
            .map(table =>
              make(
                "li",
                {},
                linkTo(table.address),
                make("span", { class: "quiet" }, ` ${table.referredBy.length} × ${table.note ?? ""}`),
              ),
            ),
        ),
      ];
  side.replaceChildren(
    make("h2", {}, isQuiet ? `${found.length} found` : "All tables"),
    ...(most.length > 0 ? start : []),
    ...groupsOf(found).flatMap(([name, tables]) => [
      make("h3", {}, name),
      make(
        "ul",
        {},
        ...tables.map(({ address, note }) =>
          make(
            "li",
            {},
            linkTo(address),
            make("span", { class: "quiet" }, note === undefined ? "" : ` ${note}`),
          ),
        ),
      ),
    ]),
  );
}

function groupsOf(tables: readonly PageTable[]): [string, PageTable[]][] {
  return [...groupBy(tables, ({ group = "Tables" }) => group)];
}

function linkTo(address: string): HTMLElement {
  const button = make("button", { type: "button", class: "link" }, address);
  button.addEventListener("click", () => {
    choose(address);
    goTo(address);
  });
  return button;
}

const MARKS = { key: "◆", required: "●", optional: "○" } as const;

function showDetails(table: PageTable): void {
  const { address, entity, note, rows, rules, referredBy, reads = [], readBy = [], access = [], sql } = table;
  const close = make("button", { type: "button", "aria-label": "Back to the list" }, "×");
  close.addEventListener("click", () => choose(undefined));
  const steps = data.steps.flatMap(step =>
    step.changes.filter(({ table }) => table === address).map(change => ({ step, change })),
  );
  side.replaceChildren(
    make("div", { class: "top" }, make("h2", {}, address), close),
    make("p", { class: "quiet" }, [entity && `class ${entity}`, note].filter(Boolean).join(" · ")),
    make("h3", {}, "Columns"),
    make(
      "ul",
      {},
      ...rows.map(row =>
        make(
          "li",
          {},
          make("span", { title: row.mark }, `${MARKS[row.mark]} `),
          make("strong", {}, row.name),
          make(
            "span",
            { class: "quiet" },
            ` ${[row.type, row.mark, row.unique && "unique", ...row.remarks].filter(Boolean).join(", ")}`,
          ),
          ...row.refers.flatMap(each => [document.createTextNode(" → "), linkTo(each)]),
        ),
      ),
    ),
    ...section(
      "Rules",
      rules.map(rule => make("li", {}, rule)),
    ),
    ...section(
      "Referred to by",
      referredBy.map(({ table, columns, onDelete }) =>
        make(
          "li",
          {},
          byAddress.has(table) ? linkTo(table) : make("strong", {}, table),
          make("span", { class: "quiet" }, ` ${columns.join(", ")} · ${sayDelete(onDelete)}`),
        ),
      ),
    ),
    ...section(
      "Reads",
      reads.map(each => make("li", {}, linkTo(each))),
    ),
    ...section(
      "Read by",
      readBy.map(each => make("li", {}, linkTo(each))),
    ),
    ...section(
      "Who may do what",
      access.map(({ role, words }) => make("li", {}, make("strong", {}, role), ` ${words}`)),
    ),
    ...section(
      "Migrations",
      steps.map(({ step, change }) =>
        make(
          "li",
          {},
          make("strong", {}, `${step.name} `),
          change.words,
          make("span", { class: "quiet" }, ` · ${step.title}`),
        ),
      ),
    ),
    ...(Object.keys(sql).length === 0 ? [] : [make("h3", {}, "SQL")]),
    ...Object.entries(sql).map(([dialect, text]) =>
      make("details", {}, make("summary", {}, dialect), make("pre", { tabindex: "0" }, text)),
    ),
  );
  side.scrollTop = 0;
}

function section(title: string, items: readonly HTMLElement[]): HTMLElement[] {
  return items.length === 0 ? [] : [make("h3", {}, title), make("ul", {}, ...items)];
}

/** What happens to those who refer to a row of this table that is deleted. */
function sayDelete(action: string | undefined): string {
  if (action === "cascade") return "deleted with it";
  if (action === "set null") return "left without it";
  if (action === "set default") return "given their default";
  return "it cannot be deleted while they are there";
}

// Controls

function watchControls(): void {
  find("larger").addEventListener("click", () => zoom(0.8));
  find("smaller").addEventListener("click", () => zoom(1.25));
  find("fit").addEventListener("click", fit);
  find("look").addEventListener("click", () => {
    const { dataset } = document.documentElement;
    dataset["look"] = dataset["look"] === "dark" ? "light" : "dark";
  });
  find("list-toggle").addEventListener("click", () => showSide(side.hidden));
  const search = find("search") as HTMLInputElement;
  const group = find("group") as HTMLSelectElement;
  const names = [...new Set(data.tables.flatMap(table => table.group ?? []))];
  if (names.length > 1) {
    find("group-choice").hidden = false;
    group.append(
      make("option", { value: "" }, "All groups"),
      ...names.map(name => make("option", { value: name }, name)),
    );
  }
  const narrow = () => {
    const words = search.value.trim().toLowerCase();
    isQuiet = words !== "" || group.value !== "";
    matching = new Set(
      data.tables.filter(table => isFound(table, words, group.value)).map(({ address }) => address),
    );
    chosen = undefined;
    light();
    showList();
  };
  search.addEventListener("input", narrow);
  group.addEventListener("change", narrow);
  search.addEventListener("keydown", event => {
    const first = data.tables.find(({ address }) => matching.has(address));
    if (event.key !== "Enter" || !first) return;
    choose(first.address);
    goTo(first.address);
  });
}

function isFound(
  { address, entity = "", group = "", rows }: PageTable,
  words: string,
  wanted: string,
): boolean {
  if (wanted !== "" && group !== wanted) return false;
  return [address, entity, ...rows.map(({ name }) => name)].some(each => each.toLowerCase().includes(words));
}

start();
