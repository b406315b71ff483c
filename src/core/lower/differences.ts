import { MOMENTS, NUMBERS, TEXTS } from "../schema/data-type.js";

/**
 * Where a column and the program see values otherwise, whatever its rules: each is told by `check`, once for each
 * dialect it is so on, and tried by the law `truth`. Rules have some of their own.
 */
export const DIFFERENCES = {
  "NUL is refused": "a text with the character NUL is refused",
  "NUL ends a text":
    "of a text, what stands behind the character NUL is neither counted nor compared with a pattern",
  "forms are characters":
    "the signs behind a character that choose its form (U+FE0E, U+FE0F, as in ❤️) count as characters",
  "half characters": "half of a character beyond 16 bits becomes U+FFFD",
  "blanks are cut": "white space behind the last character that fits is cut off",
  "blanks are no part": "blanks at the end are no part of a text",
  rounded: "a number is rounded to what the column holds before any rule is looked at",
  "single precision": "a number keeps about seven digits, and is compared with what is left of it",
  "NaN is null": "what is no number (NaN) is stored as null",
  "NaN is a number": "what is no number (NaN), or has no end, becomes 0 or the nearest that the column holds",
  "texts are read": "a text that reads like a value of the column is taken for it, however it is spelled",
  "other kinds":
    "a value of another kind is taken where the driver or the engine can turn it into the column's",
  "years from 4713 BC": "moments are of the years from 4713 BC on",
  years: "moments are of the years 0 to 9999",
  epoch: "moments are of the years 1970 to 2038",
  "null is now":
    "null that is written past the program into a required moment becomes the current one, in a key or where that is its default",
  "cut without a word":
    "where a session's sql_mode is not strict, what is too long is cut, and what is too large becomes the largest",
  "null is nothing":
    "where a session's sql_mode is not strict, null that an UPDATE puts into a required column becomes 0, or an empty text",
  "texts without zones":
    "a text that names its zone, as ISO 8601 writes it, is refused: give the driver a Date",
  "escapes of JSON": "JSON that names the character NUL or half of a character is refused",
  "lenient JSON":
    "some texts are taken for JSON that are none, and JSON of more than 31 levels, or with half of a character, is refused",
  "what JSON lacks":
    "what JSON does not have is no part of it: undefined, NaN, moments, objects of classes that are written otherwise",
  "days only": "of a moment its day is kept, and compared",
  days: "the days 29 to 31 are taken in any month",
} as const satisfies Record<string, string>;

export type Difference = keyof typeof DIFFERENCES;

/** Those that `check` tells: they make a column refuse what the program takes, or put something else in its place. */
export const TOLD: readonly Difference[] = [
  "NUL is refused",
  "NUL ends a text",
  "forms are characters",
  "years from 4713 BC",
  "years",
  "epoch",
  "texts without zones",
  "escapes of JSON",
  "lenient JSON",
  "what JSON lacks",
  "days only",
  "blanks are no part",
  "single precision",
  "null is now",
];

/** Those that are so on every dialect, and the types whose columns they are about. */
export const EVERYWHERE = {
  "forms are characters": TEXTS,
  "half characters": TEXTS,
  "what JSON lacks": ["json"],
  "other kinds": ["boolean", "json", ...TEXTS, ...NUMBERS, ...MOMENTS],
} as const;

/** Where rules of class-validator and what holds them differ. */
export const DIFFERENCES_OF_RULES = {
  "letters of ASCII": "letters beyond ASCII are looked at by the program alone",
  "small fractions":
    "numbers nearer to 0 than 0.000001 are refused by the program alone, since it reads them as a text",
  "large numbers": "numbers beyond 2⁵³ have no remainder in floating point",
  "many digits": "numbers of sixteen and more digits may have one place more",
  "kinds of white space": "white space of several kinds between the pairs is taken",
  "without its colon": "a time without its colon is read as the engine likes",
  "dates in part": "a date without its day, by its week, or with other signs, as a small t or z, is refused",
  "JSON as engines read it": "what the engine takes for JSON is, as in a column of the type json",
} as const satisfies Record<string, string>;

export type DifferenceOfRule = keyof typeof DIFFERENCES_OF_RULES;
