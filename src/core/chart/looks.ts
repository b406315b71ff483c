import type { Role, State } from "./types.js";

/** The colours of a chart. Glazes are named after what they look like on a pot. */
export interface Look {
  readonly paper: string;
  readonly card: string;
  readonly edge: string;
  readonly ink: string;
  readonly quiet: string;
  readonly wire: string;
  readonly group: string;
  readonly onGlaze: string;
  readonly glaze: Readonly<Record<Role, string>>;
  readonly state: Readonly<Record<State, string>>;
}

const GLAZE = { root: "#46705f", branch: "#a8452b", between: "#3f5a86", view: "#6b5a86" } as const;

/** Each text stands out from what is behind it by 4.5 : 1 at least: https://www.w3.org/TR/WCAG22/#contrast-minimum */
export const LOOKS = {
  light: {
    paper: "#f8f3ea",
    card: "#fffdf9",
    edge: "#d8cbb8",
    ink: "#2c2622",
    quiet: "#6f6256",
    wire: "#8a7866",
    group: "#efe6d6",
    onGlaze: "#ffffff",
    glaze: GLAZE,
    state: { new: "#2f6b3c", changed: "#8a5a00", gone: "#9b2c2c" },
  },
  dark: {
    paper: "#1a1714",
    card: "#26211d",
    edge: "#463c33",
    ink: "#efe7dc",
    quiet: "#b3a595",
    wire: "#9c8b79",
    group: "#221d19",
    onGlaze: "#ffffff",
    glaze: GLAZE,
    state: { new: "#86c794", changed: "#e2b457", gone: "#eb9a8f" },
  },
} as const satisfies Record<string, Look>;

export type LookName = keyof typeof LOOKS;
