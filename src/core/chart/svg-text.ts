/** A text as it may stand in XML: what is no letter of XML (https://www.w3.org/TR/xml/#charsets) is shown as a box. */
export function escapeXml(text: string): string {
  return text
    .replace(/[\0-\x08\x0b\x0c\x0e-\x1f\x7f\ufffe\uffff]/g, "\u25a1")
    .replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, "\u25a1")
    .replace(/[\t\n\r]/g, " ")
    .replace(/[&<>"']/g, letter => `&#${letter.charCodeAt(0)};`);
}
