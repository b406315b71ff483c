import type { createColors } from "picocolors";

/** How texts get their colours, or none. */
export type Colours = ReturnType<typeof createColors>;
