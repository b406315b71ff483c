/** What a text must match, as JavaScript reads it. */
export interface Pattern {
  readonly pattern: string;
  readonly flags: string;
}

const matching = (pattern: string, flags = ""): Pattern => ({ pattern, flags });

/** Digits of each kind of hash that class-validator knows. */
const HASH_DIGITS: Readonly<Record<string, number>> = {
  md5: 32,
  md4: 32,
  sha1: 40,
  sha256: 64,
  sha384: 96,
  sha512: 128,
  ripemd128: 32,
  ripemd160: 40,
  tiger128: 32,
  tiger160: 40,
  tiger192: 48,
  crc32: 8,
  crc32b: 8,
};

const BYTE = "(?:[0-9]|[1-9][0-9]|1[0-9][0-9]|2[0-4][0-9]|25[0-5])";
const IP4 = `(?:${BYTE}[.]){3}${BYTE}`;
const GROUP = "[0-9a-fA-F]{1,4}";

/** RFC 4291, 2.2, and the zone of RFC 4007, 11: how many groups stand before the colons that leave some out. */
const IP6 = [
  `(?:${GROUP}:){7}(?:${GROUP}|:)`,
  `(?:${GROUP}:){6}(?:${IP4}|:${GROUP}|:)`,
  `(?:${GROUP}:){5}(?::${IP4}|(?::${GROUP}){1,2}|:)`,
  ...[4, 3, 2, 1].map(
    groups =>
      `(?:${GROUP}:){${groups}}(?:(?::${GROUP}){0,${5 - groups}}:${IP4}|(?::${GROUP}){1,${7 - groups}}|:)`,
  ),
  `:(?:(?::${GROUP}){0,5}:${IP4}|(?::${GROUP}){1,7}|:)`,
].join("|");

const ip4 = matching(`^${IP4}$`);
const ip6 = matching(`^(?:${IP6})(?:%[0-9a-zA-Z.]{1,})?$`);
const ip = matching(`^(?:${IP4}|(?:${IP6})(?:%[0-9a-zA-Z.]{1,})?)$`);

/** Pairs of hexadecimal digits, as many as bytes, between separators of one kind, or fours between dots. */
function macAddress(bytes: number): string {
  const pairs = ["-", ":", "\\s"].map(
    separator => `[0-9a-fA-F]{2}(?:${separator}[0-9a-fA-F]{2}){${bytes - 1}}`,
  );
  return [...pairs, `(?:[0-9a-fA-F]{4}\\.){${bytes / 2 - 1}}[0-9a-fA-F]{4}`].join("|");
}

function macAddresses(options: unknown): Pattern {
  const said = optionsOf(options);
  const wanted = said["eui"] === undefined ? ["48", "64"] : [String(said["eui"])];
  const bytes = [6, 8].filter(each => wanted.includes(String(each * 8)));
  const kinds = bytes.length > 0 ? bytes : [6, 8];
  const whole = said["no_colons"] || said["no_separators"];
  return matching(
    `^(?:${kinds.map(each => (whole ? `[0-9a-fA-F]{${2 * each}}` : macAddress(each))).join("|")})$`,
  );
}

const UNSIGNED = "(?:[0-9]+(?:\\.[0-9]+)?(?:e[+-]?[0-9]+)?|\\.[0-9]+(?:e[+-]?[0-9]+)?)";
const SIGNED = `[+-]?${UNSIGNED}`;

const [HSL_COMMA, HSL_SPACE] = [
  `(?:\\s*,\\s*${SIGNED}%){2}(?:\\s*,\\s*${SIGNED}%?)?\\s*`,
  `(?:\\s+${SIGNED}%){2}\\s*(?:/\\s+${SIGNED}%?\\s*)?`,
];

const LATITUDE = "[+-]?(?:90(?:\\.0+)?|[1-8]?\\d(?:\\.\\d+)?)";
const LONGITUDE = "\\s?[+-]?(?:180(?:\\.0+)?|1[0-7]\\d(?:\\.\\d+)?|\\d{1,2}(?:\\.\\d+)?)";

const PERCENT = "(?:[0-9]%|[1-9][0-9]%|100%)";
const ALPHA = "(?:0?\\.\\d\\d?|1(?:\\.0)?|0(?:\\.0)?)";
const colours = (part: string) => `rgb\\((?:${part},){2}${part}\\)|rgba\\((?:${part},){3}${ALPHA}\\)`;

const VERSION_PART = "(?:0|[1-9]\\d*|\\d*[a-z-][0-9a-z-]*)";
const CHARSET = '(?:"[a-zA-Z0-9.+\\s-]{0,70}"|[a-zA-Z0-9.+-]{0,70})(?:\\s?\\([a-zA-Z0-9.+\\s-]{1,20}\\))?';

/** What stands within ASCII, and the narrow forms beside it. */
const NARROW = "\\u0020-\\u007E\\uFF61-\\uFF9F\\uFFA0-\\uFFDC\\uFFE8-\\uFFEE0-9a-zA-Z";

/** By class-validator's own names: rules that are one pattern and no more, or several. */
export const PATTERNS: Readonly<Record<string, (...constraints: readonly unknown[]) => readonly Pattern[]>> =
  {
    isAlpha: locale => ofEnglish(locale, matching("^[A-Z]+$", "i")),
    isAlphanumeric: locale => ofEnglish(locale, matching("^[0-9A-Z]+$", "i")),
    isAscii: () => [matching("^[\\x00-\\x7F]+$")],
    isBase32: () => [matching("^[A-Z2-7]+=*$"), matching("^(?:[A-Z2-7=]{8})+$")],
    isBase58: () => [matching("^[A-HJ-NP-Za-km-z1-9]*$")],
    isBase64: options => {
      const said = optionsOf(options);
      const [digits, padded] = [
        said["urlSafe"] ? "A-Za-z0-9_-" : "A-Za-z0-9+/",
        said["padding"] ?? !said["urlSafe"],
      ];
      if (!padded) return [matching(`^[${digits}]*$`)];
      return [matching(`^(?:[${digits}]+={0,2})?$`), matching(`^(?:[=${digits}]{4})*$`)];
    },
    isBtcAddress: () => [
      matching("^(?:(?:bc1|tb1|bc1p|tb1p)[ac-hj-np-z02-9]{39,58}|[123m][A-HJ-NP-Za-km-z1-9]{25,39})$"),
    ],
    isEthereumAddress: () => [matching("^(0x)[0-9a-f]{40}$", "i")],
    IsFirebasePushId: () => [matching("^[a-zA-Z0-9_-]{20}$")],
    isFullWidth: () => [matching(`[^${NARROW}]`, "u")],
    isHalfWidth: () => [matching(`[${NARROW}]`)],
    isVariableWidth: () => [matching(`[^${NARROW}]`, "u"), matching(`[${NARROW}]`)],
    isMultibyte: () => [matching("[^\\x00-\\x7F]", "u")],
    isSurrogatePair: () => [matching("[\\u{10000}-\\u{10FFFF}]", "u")],
    isHash: kind => {
      const digits = HASH_DIGITS[String(kind)];
      return digits === undefined ? [] : [matching(`^[a-fA-F0-9]{${digits}}$`)];
    },
    isHexadecimal: () => [matching("^(0x|0h)?[0-9A-F]+$", "i")],
    isHexColor: () => [matching("^#?([0-9A-F]{3}|[0-9A-F]{4}|[0-9A-F]{6}|[0-9A-F]{8})$", "i")],
    isHSL: () => [
      matching(`^\\s*hsla?\\(\\s*${SIGNED}(?:deg|grad|rad|turn)?(?:${HSL_COMMA}|${HSL_SPACE})\\)\\s*$`, "i"),
    ],
    isIp: version =>
      String(version) === "4" ? [ip4] : String(version) === "6" ? [ip6] : version ? [] : [ip],
    isISRC: () => [matching("^[A-Z]{2}[0-9A-Z]{3}\\d{7}$")],
    isJwt: () => [matching("^[A-Za-z0-9_-]*\\.[A-Za-z0-9_-]*\\.[A-Za-z0-9_-]*$")],
    isLatLong: () => [
      matching(`^(?:\\(${LATITUDE},${LONGITUDE}\\)|${LATITUDE},${LONGITUDE})(?:,.*)?$`, "su"),
    ],
    isMacAddress: options => [macAddresses(options)],
    isMilitaryTime: () => [matching("^([01][0-9]|2[0-3]):?([0-5][0-9])$")],
    isMimeType: () => [
      matching(
        [
          "^(?:application|audio|font|image|message|model|multipart|text|video)/[a-zA-Z0-9.+_-]{1,100}$",
          `^text/[a-zA-Z0-9.+-]{1,100};\\s?charset=${CHARSET}$`,
          `^multipart/[a-zA-Z0-9.+-]{1,100}(?:;\\s?(?:boundary|charset)=${CHARSET}){0,2}$`,
        ].join("|"),
        "i",
      ),
    ],
    isMongoId: () => [matching("^[0-9A-F]{24}$", "i")],
    isNumberString: options =>
      optionsOf(options)["locale"] === undefined
        ? [matching(optionsOf(options)["no_symbols"] ? "^[0-9]+$" : "^[+-]?([0-9]*[.])?[0-9]+$")]
        : [],
    isOctal: () => [matching("^(0o)?[0-7]+$", "i")],
    isPort: () => [
      matching(
        "^(?:-0|\\+?(?:0|[1-9]\\d{0,3}|[1-5]\\d{4}|6[0-4]\\d{3}|65[0-4]\\d{2}|655[0-2]\\d|6553[0-5]))$",
      ),
    ],
    isRgbColor: percents => [
      matching(`^(?:${colours(BYTE)}${percents === false ? "" : `|${colours(PERCENT)}`})$`),
    ],
    isRFC3339: () => [
      matching(
        "^[0-9]{4}-(?:0[1-9]|1[0-2])-(?:[12]\\d|0[1-9]|3[01])[ tT]" +
          "(?:[01][0-9]|2[0-3]):[0-5][0-9]:(?:[0-5][0-9]|60)(?:\\.[0-9]+)?(?:[zZ]|[-+](?:[01][0-9]|2[0-3]):[0-5][0-9])$",
      ),
    ],
    isSemVer: () => [
      matching(
        `^(?:0|[1-9]\\d*)\\.(?:0|[1-9]\\d*)\\.(?:0|[1-9]\\d*)(?:-${VERSION_PART}(?:\\.${VERSION_PART})*)?` +
          "(?:\\+[0-9a-z-]+(?:\\.[0-9a-z-]+)*)?$",
        "i",
      ),
    ],
  };

/** A decimal number as a text, with as many digits behind the point as the options say. */
export function decimalPatterns(options: unknown): readonly Pattern[] {
  const said = optionsOf(options);
  if (said["locale"] !== undefined && said["locale"] !== "en-US") return [];
  const digits = String(said["decimal_digits"] ?? "1,");
  if (!/^\d+(?:,\d*)?$/.test(digits)) return [];
  // Neither nothing nor a sign alone.
  return [
    matching(`^[-+]?(?:[0-9]+)?(?:\\.[0-9]{${digits}})${said["force_decimal"] ? "" : "?"}$`),
    matching("[0-9]"),
  ];
}

/** RFC 9562, by class-validator's names for its versions. */
export function uuidPattern(versions: readonly string[]): Pattern {
  const hex = "[0-9a-fA-F]";
  const kinds = versions.map(version => {
    if (version === "nil") return "0{8}-(?:0{4}-){3}0{12}";
    if (version === "max") return "[fF]{8}-(?:[fF]{4}-){3}[fF]{12}";
    if (version === "loose") return `${hex}{8}-(?:${hex}{4}-){3}${hex}{12}`;
    return `${hex}{8}-${hex}{4}-${version}${hex}{3}-[89abAB]${hex}{3}-${hex}{12}`;
  });
  return matching(`^(?:${kinds.join("|")})$`);
}

function ofEnglish(locale: unknown, pattern: Pattern): readonly Pattern[] {
  return locale === undefined || locale === "en-US" ? [pattern] : [];
}

/** An argument as options; none where it is something else. */
export function optionsOf(value: unknown): Readonly<Record<string, unknown>> {
  return typeof value === "object" && value !== null ? (value as Record<string, unknown>) : {};
}
