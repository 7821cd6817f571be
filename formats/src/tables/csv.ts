/**
 * One line of a table after RFC 4180: fields with commas, quotes or line ends are quoted; numbers
 * keep all their digits.
 */
export function csvLine(fields: readonly (string | number | null)[]): string {
  return `${fields
    .map((field) => {
      if (field === null) {
        return "";
      }
      // A leading = + - @ would run as a formula in a spreadsheet.
      let s: string;
      if (typeof field === "number") {
        s = String(field);
      } else if (/^[=+\-@\t\r]/.test(field)) {
        s = `'${field}`;
      } else {
        s = field;
      }
      return /[",\r\n]/.test(s) ? `"${s.replace(/"/g, '""')}"` : s;
    })
    .join(",")}\r\n`;
}
