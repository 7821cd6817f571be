import type { DrawnSheet } from "@hindglance/contract/sheet";
import { addFrame, overlapping, removeFrame } from "@hindglance/core/sheet/arrange";
import {
  FRAME_KINDS,
  FRAME_NAMES,
  type FrameKind,
  PAPER_NAMES,
  READY_LAYOUTS,
  type Sheet,
  type SheetLayout,
  TEXT_KEYS,
} from "@hindglance/core/sheet/layout";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { Section } from "../../frame/Section";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Row, inputStyle } from "../../ui/Labelled";
import { Warning } from "../../ui/Messages";
import { Pick } from "../../ui/Pick";
import { Pop } from "../../ui/Pop";
import { TextField } from "../../ui/TextField";
import { GroundSection } from "./GroundSection";
import type { Grounds } from "./grounds";
import { longestOf, textName } from "./TextInPlace";
import { useLayouts } from "./useSheet";

type Change = (to: (sheet: Sheet) => Sheet) => void;

interface Props {
  sheet: Sheet;
  drawn: DrawnSheet | undefined;
  change: Change;
  picked: FrameKind | null;
  pick(kind: FrameKind): void;
  grounds: Grounds;
}

const WAYS = [
  { value: "lying", name: "Landscape" },
  { value: "upright", name: "Portrait" },
] as const;

/** What is set of a sheet: its layout, its frames, the ground of its maps, its words. */
export function SheetDesk({ sheet, drawn, change, picked, pick, grounds }: Props) {
  const setLayout = (layout: SheetLayout) => change((from) => ({ ...from, layout }));
  return (
    <>
      <LayoutSection layout={sheet.layout} setLayout={setLayout} />
      <Overlaps layout={sheet.layout} />
      {grounds.map && <GroundSection grounds={grounds} />}
      <WordsSection sheet={sheet} drawn={drawn} change={change} />
      <FramesSection layout={sheet.layout} {...{ setLayout, picked, pick }} />
    </>
  );
}

/** That frames lie over each other, and which. */
function Overlaps({ layout }: { layout: SheetLayout }) {
  const pairs = overlapping(layout);
  return pairs.length === 0 ? null : (
    <Section>
      <Warning>
        {pairs
          .map(([first, second]) => `${FRAME_NAMES[second]} lies over ${FRAME_NAMES[first]}`)
          .join("; ")}
        : move one, or make it smaller.
      </Warning>
    </Section>
  );
}

interface LayoutProps {
  layout: SheetLayout;
  setLayout(layout: SheetLayout): void;
}

/** What stands where, whatever the order in which a store keeps its fields. */
const framesOf = ({ isUpright, frames }: SheetLayout): string =>
  JSON.stringify([
    isUpright,
    frames.map(({ kind, column, row, columns, rows }) => [kind, column, row, columns, rows]),
  ]);

/** Which layout, on which paper, and saving it for all studies. */
function LayoutSection({ layout, setLayout }: LayoutProps) {
  const { layouts, save, remove } = useLayouts();
  const all = [
    ...READY_LAYOUTS.map((one) => ({ ...one, note: "always there" })),
    ...layouts.map((one) => ({ ...one, note: "saved" })),
  ];
  const own = all.find((one) => framesOf(one.layout) === framesOf(layout));
  const saved = layouts.find(({ id }) => id === own?.id);
  return (
    <Section title="Layout" right={<SaveLayout onSave={(name) => save({ name, layout })} />}>
      <div className="mb-2 flex gap-1.5">
        <Pick
          label="Layout"
          value={own?.id ?? ""}
          placeholder="Changed by hand"
          onChange={(id) => setLayout(all.find((one) => one.id === id)!.layout)}
          options={all.map(({ id, name, note }) => ({ value: id, name, note }))}
        />
        {saved && (
          <Button aria-label={`Delete the layout ${saved.name}`} onClick={() => remove(saved.id)}>
            <Trash2 size={14} aria-hidden />
          </Button>
        )}
      </div>
      <Row label="Paper">
        <Choice
          label="Paper"
          value={layout.paper}
          onChange={(paper) => setLayout({ ...layout, paper })}
          options={PAPER_NAMES.map((value) => ({ value, name: value }))}
        />
      </Row>
      <Row label="Page">
        <Choice
          label="Page"
          value={layout.isUpright ? "upright" : "lying"}
          onChange={(way) => setLayout({ ...layout, isUpright: way === "upright" })}
          options={[...WAYS]}
        />
      </Row>
    </Section>
  );
}

/** A name under which a layout is kept for all studies. */
function SaveLayout({ onSave }: { onSave(name: string): void }) {
  const [isOpen, setOpen] = useState(false);
  const [name, setName] = useState("");
  const keep = () => {
    if (name.trim() !== "") {
      onSave(name.trim());
      setName("");
      setOpen(false);
    }
  };
  return (
    <Pop
      label="Save the layout"
      open={isOpen}
      onOpenChange={setOpen}
      trigger={<Button tone="quiet">Save layout …</Button>}
    >
      <label className="block font-medium">
        Name of the layout
        <input
          className={`${inputStyle} mt-1`}
          value={name}
          maxLength={60}
          onChange={(event) => setName(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && keep()}
        />
      </label>
      <p className="mb-2 mt-1 text-label text-soft">
        For all studies. One of the same name is replaced.
      </p>
      <Button tone="act" disabled={name.trim() === ""} onClick={keep}>
        Save layout
      </Button>
    </Pop>
  );
}

/** Words that stand on the sheet; what is proposed stands where nothing was set. */
function WordsSection({ sheet, drawn, change }: Pick<Props, "sheet" | "drawn" | "change">) {
  const lacking = drawn?.lacking ?? [];
  const hasText = sheet.layout.frames.some(({ kind }) => kind === "text");
  return (
    <Section title="Words">
      {TEXT_KEYS.filter((key) => key !== "text" || hasText).map((key) => {
        const proposed = key === "title" || key === "subtitle" ? drawn?.proposed[key] : undefined;
        const own = sheet.texts[key];
        const set = (value: string | null) =>
          change((from) => ({ ...from, texts: { ...from.texts, [key]: value } }));
        return (
          <div key={key} className="relative">
            <TextField
              label={textName(key)}
              value={own ?? proposed ?? ""}
              longest={longestOf(key)}
              onKeep={set}
            />
            {own !== null && proposed !== undefined && (
              <button
                type="button"
                className="absolute right-0 top-0 text-label text-spruce underline"
                onClick={() => set(null)}
              >
                Take what is proposed
              </button>
            )}
          </div>
        );
      })}
      {lacking.length > 0 && (
        <Warning>
          The fonts of sheets lack {lacking.slice(0, 12).join(" ")}: a box stands in their place.
          Write these words in Latin, Greek or Cyrillic letters.
        </Warning>
      )}
    </Section>
  );
}

interface FramesProps extends LayoutProps {
  picked: FrameKind | null;
  pick(kind: FrameKind): void;
}

/** Which frames stand on the page. */
const FramesSection = ({ layout, setLayout, picked, pick }: FramesProps) => (
  <Section title="Frames">
    <ul>
      {FRAME_KINDS.map((kind) => {
        const isThere = layout.frames.some((frame) => frame.kind === kind);
        return (
          <li key={kind}>
            <label className="flex min-h-7 items-center gap-2">
              <input
                type="checkbox"
                checked={isThere}
                disabled={isThere && layout.frames.length === 1}
                onChange={() => {
                  setLayout((isThere ? removeFrame : addFrame)(layout, kind));
                  pick(kind);
                }}
                className="accent-spruce"
              />
              <span className={picked === kind ? "font-semibold" : ""}>{FRAME_NAMES[kind]}</span>
            </label>
          </li>
        );
      })}
    </ul>
  </Section>
);
