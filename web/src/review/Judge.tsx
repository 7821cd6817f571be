import { useState } from "react";
import { Pencil, Redo2, StickyNote, Undo2 } from "lucide-react";
import type { Said } from "@hindglance/contract/verdicts";
import type { Verdict } from "@hindglance/core/review/standing";
import type { ChangeMap, PatchRow } from "../api/types";
import { day, time } from "../lib/format";
import { useReviewer } from "../state/reviewer";
import { Button } from "../ui/Button";
import { inputStyle } from "../ui/Labelled";
import { Pop } from "../ui/Pop";
import { Turn } from "../ui/Turn";
import { cx } from "../ui/cx";
import { VERDICT_WORDS, type VerdictsOnScreen, useSaid } from "./useVerdicts";

interface Props {
  map: ChangeMap;
  patch: PatchRow;
  verdicts: VerdictsOnScreen;
  /** Says a verdict of the picked patch, which stays picked; only keys go on. */
  judge(verdict: Verdict): void;
}

/** What can be said of the picked patch, and what was said of it. */
export function Judge({ map, patch, verdicts, judge }: Props) {
  const said = useSaid(map, patch.number).data ?? [];
  const own = said.find(({ reviewer }) => reviewer === verdicts.reviewer);
  return (
    <div className="mt-2">
      <div className="flex items-center gap-1">
        {VERDICT_WORDS.map(({ verdict, name, key, hint }) => (
          <Button
            key={verdict}
            title={`${hint}. Key ${key}`}
            aria-pressed={own?.verdict === verdict}
            className={cx(
              "min-w-0 flex-1 gap-1 px-1!",
              own?.verdict === verdict && "border-spruce bg-[#e2ece7]",
            )}
            onClick={() => judge(verdict)}
          >
            {name}
            <kbd className="font-mono text-[11px] font-normal text-soft">{key}</kbd>
          </Button>
        ))}
        <Note key={patch.number} own={own} patch={patch} verdicts={verdicts} />
        <Turn icon={Undo2} name="Take back the last verdict" keys="Ctrl Z" turn={verdicts.undo} />
        <Turn icon={Redo2} name="Say it again" keys="Ctrl Shift Z" turn={verdicts.redo} />
      </div>
      <ul
        className="mt-1.5 max-h-[72px] overflow-y-auto text-label text-soft"
        aria-label="Said of it"
      >
        {said.map((one) => (
          <li key={one.reviewer}>{wordsOf(one)}</li>
        ))}
      </ul>
    </div>
  );
}

/** Who said what, when, and by which earlier patch. */
function wordsOf({ reviewer, verdict, note, saidAt, inherited }: Said): string {
  const from = inherited
    ? `, taken over from patch ${inherited.patch} of ${inherited.map} (${Math.round(100 * inherited.share)} % of this one)`
    : "";
  return `${reviewer}: ${verdict}, ${day(saidAt)} ${time(saidAt)}${from}${note ? `. ${note}` : ""}`;
}

interface NoteProps extends Pick<Props, "patch" | "verdicts"> {
  own: Said | undefined;
}

/** A note of one's own on the patch. */
function Note({ own, patch, verdicts }: NoteProps) {
  const [isOpen, setOpen] = useState(false);
  const [text, setText] = useState<string | null>(null);
  const note = own?.note ?? "";
  const keep = () => {
    setOpen(false);
    if (text !== null && text.trim() !== note) {
      verdicts.say({ numbers: [patch.number], note: text.trim() });
    }
    setText(null);
  };
  return (
    <Pop
      label="Note"
      width={300}
      open={isOpen}
      onOpenChange={(open) => (open ? setOpen(true) : keep())}
      trigger={
        <Button
          tone="quiet"
          className="w-7 shrink-0 px-0!"
          aria-label="Note"
          title="A note of yours"
        >
          <StickyNote size={15} aria-hidden fill={note ? "#f3dfae" : "none"} />
        </Button>
      }
    >
      <label className="block text-label text-soft">
        Note of {verdicts.reviewer || "nobody yet"} on patch {patch.number}
        <textarea
          className={cx(inputStyle, "mt-1 h-24 w-full resize-none py-1.5")}
          maxLength={2000}
          value={text ?? note}
          onChange={({ target }) => setText(target.value)}
        />
      </label>
      <div className="mt-2 flex justify-end">
        <Button onClick={keep}>Keep note</Button>
      </div>
    </Pop>
  );
}

/** Who reviews here. */
export function ReviewerName() {
  const { name, setName } = useReviewer();
  const [isEdited, setEdited] = useState(false);
  if (name && !isEdited) {
    return (
      <button
        type="button"
        className="inline-flex items-center gap-1 text-label text-soft hover:text-ink"
        title="Whose verdicts are said here"
        onClick={() => setEdited(true)}
      >
        as {name}
        <Pencil size={11} aria-hidden />
      </button>
    );
  }
  const take = (value: string) => {
    setName(value.trim().slice(0, 60));
    setEdited(false);
  };
  return (
    <input
      className={cx(inputStyle, "h-6! w-[120px]! text-[12px]")}
      aria-label="Your name"
      placeholder="Your name"
      defaultValue={name}
      maxLength={60}
      onBlur={({ target }) => take(target.value)}
      onKeyDown={({ key, currentTarget }) => {
        if (key === "Enter") {
          take(currentTarget.value);
        }
      }}
    />
  );
}
