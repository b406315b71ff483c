import type { Box } from "./boxes.js";
import type { ChartLink } from "./types.js";

/** Where everything of a chart stands, in pixels. */
export interface Layout {
  readonly width: number;
  readonly height: number;
  readonly boxes: readonly PlacedBox[];
  readonly wires: readonly Wire[];
  readonly groups: readonly PlacedGroup[];
  /** Where a large chart is about what: the table that most relations in an area lead to. */
  readonly areas: readonly PlacedArea[];
}

export interface PlacedArea extends Point {
  readonly name: string;
  readonly width: number;
}

export interface PlacedBox extends Box {
  readonly x: number;
  readonly y: number;
}

export interface PlacedGroup {
  readonly name: string;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** A relation as a row of cubic curves: a point, then three for each. */
export interface Wire {
  readonly link: ChartLink;
  /** From the table referred to, unless it is turned. */
  readonly points: readonly Point[];
  /** It begins at the table that refers. */
  readonly turned: boolean;
  readonly label?: Point & { readonly text: string };
}
