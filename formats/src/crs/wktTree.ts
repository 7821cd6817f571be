import { FormatError } from "../errors";

/** A node of well-known text: its keyword and what stands in its brackets. */
export interface WktNode {
  keyword: string;
  values: (string | number | WktNode)[];
}

/** A text, a number or a word, a bracket or a comma. */
const TOKEN =
  /\s*(?:"((?:[^"]|"")*)"|([A-Za-z_][\w]*)|([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)|([[\](),]))/y;

/** No coordinate system is nested deeper, and none is longer. */
const DEEPEST = 40;
const LONGEST = 100_000;

const broken = (): FormatError =>
  new FormatError("damaged", "The text of the coordinate system is broken off or garbled");

interface Token {
  kind: "text" | "word" | "number" | "mark";
  text: string;
}

/** Kinds of tokens in the order of the pattern's groups. */
const KINDS = ["text", "word", "number", "mark"] as const;

function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  TOKEN.lastIndex = 0;
  while (TOKEN.lastIndex < text.length) {
    const groups = TOKEN.exec(text)?.slice(1) ?? [];
    const which = groups.findIndex((group: string | undefined) => group !== undefined);
    const kind = KINDS[which];
    if (!kind) {
      throw broken();
    }
    tokens.push({ kind, text: groups[which]!.replaceAll('""', '"') });
  }
  return tokens;
}

const opens = (token: Token | undefined): boolean =>
  token?.kind === "mark" && (token.text === "[" || token.text === "(");

/** Reads tokens one after another into a tree. */
class Reading {
  private at = 0;
  constructor(private readonly tokens: readonly Token[]) {}

  private next(): Token {
    const token = this.tokens[this.at++];
    if (!token) {
      throw broken();
    }
    return token;
  }

  /** A word with its brackets. */
  node(depth: number): WktNode {
    const word = this.next();
    if (word.kind !== "word" || !opens(this.next()) || depth > DEEPEST) {
      throw broken();
    }
    const values: WktNode["values"] = [];
    for (;;) {
      values.push(this.value(depth));
      const mark = this.next();
      if (mark.kind !== "mark" || opens(mark)) {
        throw broken();
      }
      if (mark.text !== ",") {
        return { keyword: word.text.toUpperCase(), values };
      }
    }
  }

  private value(depth: number): string | number | WktNode {
    const token = this.tokens[this.at];
    if (token?.kind === "word" && opens(this.tokens[this.at + 1])) {
      return this.node(depth + 1);
    }
    this.at++;
    if (!token || token.kind === "mark") {
      throw broken();
    }
    return token.kind === "number" ? Number(token.text) : token.text;
  }
}

/**
 * Well-known text of either generation as a tree.
 * @throws FormatError where brackets or quotes are broken
 */
export function parseWkt(text: string): WktNode {
  if (text.length > LONGEST) {
    throw broken();
  }
  return new Reading(tokensOf(text.trim())).node(0);
}

const isNode = (value: string | number | WktNode): value is WktNode => typeof value === "object";

/** The nodes of some keywords right below a node. */
export const childrenOf = (node: WktNode, ...keywords: string[]): WktNode[] =>
  node.values.filter(isNode).filter(({ keyword }) => keywords.includes(keyword));

/** The first of them. */
export const childOf = (node: WktNode, ...keywords: string[]): WktNode | null =>
  childrenOf(node, ...keywords)[0] ?? null;

/** The first node of some keywords anywhere within a node, itself included. */
export function findNode(node: WktNode, ...keywords: string[]): WktNode | null {
  if (keywords.includes(node.keyword)) {
    return node;
  }
  for (const child of node.values.filter(isNode)) {
    const found = findNode(child, ...keywords);
    if (found) {
      return found;
    }
  }
  return null;
}

/** What a node is called: its first value. */
export const nameOf = (node: WktNode): string => String(node.values[0] ?? "");

/** The number at a place among a node's values. */
export const numberAt = (node: WktNode | null, place: number): number => {
  const value = node?.values[place];
  return typeof value === "number" ? value : NaN;
};
