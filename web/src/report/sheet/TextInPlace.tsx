import type { EditableText } from "@hindglance/core/sheet/compose";
import { useState } from "react";

interface Props {
  text: EditableText;
  /** Pixels of a millimetre of the page. */
  scale: number;
  onKeep(value: string): void;
  onLeave(): void;
}

const NAMES: Record<EditableText["key"], string> = {
  title: "Title",
  subtitle: "Line below the title",
  text: "Own text",
  maker: "Made by",
  licence: "Licence",
};
/** Name of words of a sheet that can be set. */
export const textName = (key: EditableText["key"]): string => NAMES[key];

const LONGEST: Record<EditableText["key"], number> = {
  ...{ title: 160, subtitle: 240, text: 2000, maker: 160, licence: 160 },
};
/** Letters that words of a sheet have at the most. */
export const longestOf = (key: EditableText["key"]): number => LONGEST[key];

/** Words on the page while they are typed: kept on Enter and on leaving, taken back by Escape. */
export function TextInPlace({ text, scale, onKeep, onLeave }: Props) {
  const { key, style, x, y, width, height } = text;
  const [typed, setTyped] = useState(text.value);
  const size = style.size * scale;
  const keep = () => {
    if (typed.trim() !== text.value) {
      onKeep(typed.trim());
    }
    onLeave();
  };
  return (
    <textarea
      aria-label={NAMES[key]}
      autoFocus
      value={typed}
      maxLength={LONGEST[key]}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Escape") {
          onLeave();
        } else if (event.key === "Enter" && (key !== "text" || event.ctrlKey || event.metaKey)) {
          event.preventDefault();
          keep();
        }
      }}
      className="absolute resize-none overflow-auto border-2 border-spruce bg-white p-0 text-ink outline-none"
      style={{
        ...{ left: x * scale - 2, top: y * scale - 2, width: width * scale + 4 },
        height: Math.max(height * scale, size * 1.6) + 6,
        ...{ fontFamily: "Hanken Grotesk", fontSize: Math.max(10, size), lineHeight: 1.28 },
        ...{ fontWeight: style.weight, color: style.color },
      }}
    />
  );
}
