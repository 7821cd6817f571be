import Papa from "papaparse";
import { InputError } from "@hindglance/core/errors";
import { DOMParser, type Element } from "@xmldom/xmldom";

/** A class as a file names it; `color`: null where it says none. */
export interface NamedClass {
  label: number;
  name: string;
  color: string | null;
}

const HELP =
  "Give a style (SLD) with a colour map, or a CSV with a line a class: value, name, colour as #c8246f.";

const wrong = (file: string, what: string): InputError =>
  new InputError(`${file}: ${what}`, "text", HELP);

/** @throws InputError naming the place of a label that is none */
function labelOf(text: string, where: string, file: string): number {
  const label = Number(text);
  if (text.trim() === "" || !Number.isInteger(label) || label < 0 || label > 255) {
    throw wrong(file, `${where} has the value "${text}", which is no class from 1 to 254`);
  }
  return label;
}

/** @throws InputError naming the place of a colour that is none */
function colorOf(text: string, where: string, file: string): string | null {
  const plain = text.trim().toLowerCase();
  if (plain === "") {
    return null;
  }
  const digits = plain.replace(/^#/, "");
  if (!/^[0-9a-f]{6}$/.test(digits)) {
    throw wrong(file, `${where} has the colour "${text}", which is none like #c8246f`);
  }
  return `#${digits}`;
}

/** Entries of the colour map of a style. Source: OGC Styled Layer Descriptor 1.0, 12.7. */
function fromStyle(text: string, file: string): NamedClass[] {
  if (/<!(DOCTYPE|ENTITY)/i.test(text)) {
    throw wrong(file, "it defines a document type or entities, which a style never does");
  }
  const document = new DOMParser({ onError: () => {} }).parseFromString(text, "text/xml");
  const entries = [...document.getElementsByTagNameNS("*", "ColorMapEntry")];
  if (entries.length === 0) {
    throw wrong(file, "the style has no colour map with entries");
  }
  const read = (entry: Element, name: string) => entry.getAttribute(name) ?? "";
  return entries.map((entry, k) => {
    const where = `entry ${k + 1}`;
    const label = labelOf(read(entry, "quantity"), where, file);
    const name = read(entry, "label").trim() || `Class ${label}`;
    return { label, name, color: colorOf(read(entry, "color"), where, file) };
  });
}

/** Lines of value, name, colour; a first line without a value is a heading. */
function fromLines(text: string, file: string): NamedClass[] {
  const { data } = Papa.parse<string[]>(text.trim(), { skipEmptyLines: "greedy" });
  const isHead = data[0] !== undefined && !/^\s*\d+\s*$/.test(data[0][0] ?? "");
  return data.slice(isHead ? 1 : 0).map((cells, k) => {
    const where = `line ${k + (isHead ? 2 : 1)}`;
    const [value = "", name = "", color = ""] = cells;
    if (name.trim() === "") {
      throw wrong(file, `${where} gives no name`);
    }
    return {
      label: labelOf(value, where, file),
      name: name.trim(),
      color: colorOf(color, where, file),
    };
  });
}

/**
 * Names and colours of classes from a style by the open standard, or from a table of value, name and
 * colour. 0 and 255, which are no classes, are left out.
 * @throws InputError naming the file, the place in it and what helps
 */
export function classNamesFrom(text: string, file: string): NamedClass[] {
  const isStyle = /^\s*(<\?xml|<[a-z]*:?StyledLayerDescriptor)/i.test(text);
  let all: NamedClass[];
  try {
    all = isStyle ? fromStyle(text, file) : fromLines(text, file);
  } catch (error) {
    throw error instanceof InputError ? error : wrong(file, "it is no whole XML");
  }
  const named = all.filter(({ label }) => label > 0 && label < 255);
  const labels = named.map(({ label }) => label);
  const twice = labels.find((label, k) => labels.indexOf(label) !== k);
  if (twice !== undefined) {
    throw wrong(file, `the value ${twice} is there twice`);
  }
  if (named.length === 0) {
    throw wrong(file, "it names no class");
  }
  return named.map((one) => ({ ...one, name: one.name.slice(0, 60) }));
}
