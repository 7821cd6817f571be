/**
 * A number as people write it: point or comma before the decimals, spaces between thousands, a
 * hyphen or a true minus, an exponent. Null for anything else: nothing is guessed, so `0x10`,
 * `1,2,3` and `12 dB` are no numbers.
 */
export function parseNumber(text: string): number | null {
  const plain = text
    .trim()
    .replace(/[\u2212\u2013]/g, "-")
    .replace(/(?<=\d)[\s\u00a0\u2009\u202f](?=\d{3}(?!\d))/g, "")
    .replace(",", ".");
  const isNumber = /^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d{1,3})?$/i.test(plain);
  const value = isNumber ? Number(plain) : NaN;
  return Number.isFinite(value) ? value : null;
}
