import { PIECE_TAKES } from "./patience.js";

/** How many rows the first piece has, at least any, and at most. */
const ROWS = { first: 500, least: 50, most: 20_000 };

/** How many rows a piece of an update of many has: as many as go in the time that a piece may take. */
export class PieceSize {
  /** Of the next piece. */
  rows: number;

  /** @param most as the target says */
  constructor(private readonly most = ROWS.most) {
    this.rows = Math.min(ROWS.first, most);
  }

  /**
   * The next one is smaller where that took long, and larger where it went fast. @param milliseconds of the last one
   * @param whole whether it had as many rows as it might @param patience which part of a piece's time others have left
   */
  took(milliseconds: number, whole: boolean, patience = 1): void {
    const may = PIECE_TAKES * patience;
    if (milliseconds > 2 * may) this.rows = Math.max(ROWS.least, Math.floor(this.rows / 2));
    else if (whole && milliseconds < may) this.rows = Math.min(this.most, this.rows * 2);
  }
}
