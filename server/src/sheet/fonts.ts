import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import * as fontkit from "fontkit";
import type { Fonts, Run } from "@hindglance/core/sheet/fonts";
import type { Family, Weight } from "@hindglance/core/sheet/marks";

const files = createRequire(import.meta.url);

/** Files of the fonts of a sheet, that ship with the application. */
const FILES: Record<Family, Record<Weight, string>> = {
  "Hanken Grotesk": {
    400: "@expo-google-fonts/hanken-grotesk/400Regular/HankenGrotesk_400Regular.ttf",
    600: "@expo-google-fonts/hanken-grotesk/600SemiBold/HankenGrotesk_600SemiBold.ttf",
  },
  "Noto Sans": {
    400: "@expo-google-fonts/noto-sans/400Regular/NotoSans_400Regular.ttf",
    600: "@expo-google-fonts/noto-sans/600SemiBold/NotoSans_600SemiBold.ttf",
  },
};

const FAMILIES: readonly Family[] = ["Hanken Grotesk", "Noto Sans"];
const WEIGHTS: readonly Weight[] = [400, 600];

/** Where the file of a font lies. */
export const fontPath = (family: Family, weight: Weight): string =>
  files.resolve(FILES[family][weight]);

/** Files of all fonts of a sheet. */
export const fontPaths = (): string[] =>
  FAMILIES.flatMap((family) => WEIGHTS.map((weight) => fontPath(family, weight)));

interface OpenFont {
  font: fontkit.Font;
  widths: Map<string, number>;
}

const open = new Map<string, OpenFont>();
function opened(family: Family, weight: Weight): OpenFont {
  const key = `${family} ${weight}`;
  const known = open.get(key);
  if (known) {
    return known;
  }
  const font = fontkit.create(readFileSync(fontPath(family, weight)));
  if ("fonts" in font) {
    throw new Error(`The file of ${key} holds several fonts`);
  }
  const own = { font, widths: new Map<string, number>() };
  open.set(key, own);
  return own;
}

/** Widths of runs that are remembered. */
const REMEMBERED = 20_000;

/** The font that has a letter; null where none has. */
const familyOf = (letter: string, weight: Weight): Family | null =>
  FAMILIES.find((family) =>
    opened(family, weight).font.hasGlyphForCodePoint(letter.codePointAt(0)!),
  ) ?? null;

function runs(text: string, weight: Weight): Run[] {
  const found: Run[] = [];
  for (const letter of text) {
    const family = familyOf(letter, weight) ?? FAMILIES[0]!;
    const last = found.at(-1);
    if (last?.family === family) {
      last.text += letter;
    } else {
      found.push({ family, text: letter });
    }
  }
  return found;
}

function width({ family, text }: Run, weight: Weight): number {
  const { font, widths } = opened(family, weight);
  let known = widths.get(text);
  if (known === undefined) {
    known = font.layout(text).advanceWidth / font.unitsPerEm;
    if (widths.size > REMEMBERED) {
      widths.clear();
    }
    widths.set(text, known);
  }
  return known;
}

/** Fonts of sheets, as they ship with the application. */
export const FONTS: Fonts = {
  runs,
  width,
  lacking: (text) =>
    [...new Set(text)].filter((letter) => letter !== "\n" && familyOf(letter, 400) === null),
};

/** Rules by which a page of SVG finds its fonts: in itself. */
export const fontCss = (): string =>
  FAMILIES.flatMap((family) =>
    WEIGHTS.map((weight) => {
      const bytes = readFileSync(fontPath(family, weight)).toString("base64");
      return `@font-face{font-family:"${family}";font-weight:${weight};src:url(data:font/ttf;base64,${bytes})}`;
    }),
  ).join("");
