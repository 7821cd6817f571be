const MONTHS = [
  "January",
  "February",
  "March",
  "April",
  "May",
  "June",
  "July",
  "August",
  "September",
  "October",
  "November",
  "December",
];

/** Day and month in UTC: 2 May. */
export const day = (iso: string): string => {
  const date = new Date(iso);
  return `${date.getUTCDate()} ${MONTHS[date.getUTCMonth()]}`;
};

/** Day, month and year in UTC: 2 May 2025. */
export const dayYear = (iso: string): string => `${day(iso)} ${new Date(iso).getUTCFullYear()}`;

/** Hour and minute in UTC, and says so. */
export const time = (iso: string): string => `${iso.slice(11, 16)} UTC`;

/** Name of a month, counted from 0. */
export const monthName = (m: number): string => MONTHS[m]!;
