import { XMLParser, XMLValidator } from "fast-xml-parser";
import { utcSeconds } from "@hindglance/core/radar/orbit";
import { FormatError } from "./errors";
import { messageOf } from "@hindglance/core/errors";

/** An element: text, or children by name. */
export type XmlNode = string | XmlNode[] | { [name: string]: XmlNode };

const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: "@",
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: false,
  removeNSPrefix: true,
  trimValues: true,
});

/**
 * Parses XML without a document type: entity definitions have no place in product metadata and are
 * refused before anything expands.
 * @throws FormatError naming the file
 */
export function parseXml(bytes: Uint8Array, file: string): XmlElement {
  let text: string;
  try {
    text = new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    throw new FormatError("damaged", `${file} is not UTF-8 text`);
  }
  if (/<!(DOCTYPE|ENTITY)/i.test(text)) {
    throw new FormatError(
      "hostile",
      `${file} defines a document type or entities, which product metadata never does; it is not read`,
    );
  }
  const valid = XMLValidator.validate(text);
  if (valid !== true) {
    throw new FormatError(
      "damaged",
      `${file} is not well-formed XML: ${valid.err.msg} (line ${valid.err.line})`,
      "Fetch or copy the file again.",
    );
  }
  const root = parser.parse(text) as Record<string, XmlNode>;
  const name = Object.keys(root).find((k) => k !== "?xml");
  if (!name) {
    throw new FormatError("damaged", `${file} has no root element`);
  }
  return new XmlElement(root[name]!, name, file);
}

/** A place in an XML file; every question that has no answer names the file and the path. */
export class XmlElement {
  constructor(
    private readonly node: XmlNode,
    readonly path: string,
    readonly file: string,
  ) {}

  private child(name: string): XmlNode | undefined {
    const n = Array.isArray(this.node) ? this.node[0] : this.node;
    return n && typeof n === "object" && !Array.isArray(n) ? n[name] : undefined;
  }
  has(path: string): boolean {
    return this.find(path) !== null;
  }
  find(path: string): XmlElement | null {
    const [name = "", ...rest] = path.split("/");
    const c = this.child(name);
    if (c === undefined) {
      return null;
    }
    const element = new XmlElement(c, `${this.path}/${name}`, this.file);
    return rest.length ? element.find(rest.join("/")) : element;
  }
  get(path: string): XmlElement {
    const element = this.find(path);
    if (!element) {
      throw new FormatError(
        "incomplete",
        `${this.file} has no ${this.path}/${path}`,
        "The product is not complete; fetch it again.",
      );
    }
    return element;
  }
  /** All children of one name; none is an empty list. */
  all(path: string): XmlElement[] {
    const cut = path.lastIndexOf("/");
    const parent = cut < 0 ? this : this.find(path.slice(0, cut));
    const name = path.slice(cut + 1);
    const c = parent?.child(name);
    return c === undefined
      ? []
      : (Array.isArray(c) ? c : [c]).map(
          (xmlNode, i) => new XmlElement(xmlNode, `${parent!.path}/${name}[${i + 1}]`, this.file),
        );
  }
  /** Name of the element itself. */
  get name(): string {
    return this.path.slice(this.path.lastIndexOf("/") + 1).replace(/\[\d+\]$/, "");
  }
  /** All child elements in the order of their names' first use. */
  children(): XmlElement[] {
    const n = Array.isArray(this.node) ? this.node[0] : this.node;
    return n && typeof n === "object" && !Array.isArray(n)
      ? Object.keys(n)
          .filter((k) => !k.startsWith("@") && k !== "#text")
          .flatMap((k) => this.all(k))
      : [];
  }
  text(path = ""): string {
    const element = path ? this.get(path) : this;
    const n = Array.isArray(element.node) ? element.node[0] : element.node;
    if (typeof n === "string") {
      return n;
    }
    const inner = n && typeof n === "object" && !Array.isArray(n) ? n["#text"] : null;
    return typeof inner === "string" ? inner : "";
  }
  attribute(name: string): string | null {
    const value = this.child(`@${name}`);
    return typeof value === "string" ? value : null;
  }
  number(path = ""): number {
    const t = this.text(path);
    const value = Number(t);
    if (t === "" || !Number.isFinite(value)) {
      throw new FormatError(
        "damaged",
        `${this.file}: ${this.path}${path ? `/${path}` : ""} should be a number, not "${t.slice(0, 40)}"`,
      );
    }
    return value;
  }
  /** UTC time as seconds since 2000 (see utcSeconds). */
  time(path = ""): number {
    try {
      return utcSeconds(this.text(path));
    } catch (error) {
      throw new FormatError(
        "damaged",
        `${this.file}: ${this.path}${path ? `/${path}` : ""}: ${messageOf(error)}`,
      );
    }
  }
  /** Numbers in a text, parted by blanks. */
  numbers(path = ""): number[] {
    const t = this.text(path);
    const values = t.split(/\s+/).filter(Boolean).map(Number);
    if (values.length === 0 || values.some((x) => !Number.isFinite(x))) {
      throw new FormatError(
        "damaged",
        `${this.file}: ${this.path}${path ? `/${path}` : ""} should be a list of numbers`,
      );
    }
    return values;
  }
}
