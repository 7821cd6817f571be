import { useEffect, useEffectEvent, useState } from "react";
import { ChevronLeft, ChevronRight } from "lucide-react";
import type { Place, Sample } from "@hindglance/contract/accuracy";
import { isTyping } from "../frame/typing";
import { Section } from "../frame/Section";
import type { ChangeMap } from "../api/types";
import { number } from "../lib/format";
import { useUi } from "../state/ui";
import { useReviewer } from "../state/reviewer";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { inputStyle } from "../ui/Labelled";
import { cx } from "../ui/cx";
import { ReviewerName } from "../review/Judge";
import { type ToldClass, toldClasses } from "./classes";
import { useLooks, usePlaces } from "./useSamples";

/** The key that says that a place cannot be told. */
const UNSURE_KEY = "X";

/** The next place that was not looked at, from one on and round to the first; null where all were. */
export function nextOpen(places: readonly Place[], from: number, waiting: ReadonlySet<number>) {
  const isOpen = ({ number: of, isLooked }: Place) => !isLooked && !waiting.has(of);
  const at = places.findIndex((place, k) => k > from && isOpen(place));
  const again = at < 0 ? places.findIndex(isOpen) : at;
  return again < 0 ? null : again;
}

/** A sample that is looked at place by place, by whoever is named on this page. */
export function useLooking(map: ChangeMap, sample: Sample) {
  const interpreter = useReviewer((state) => state.name);
  const places = usePlaces(sample.id, interpreter).data;
  const looks = useLooks(map, sample.id, interpreter);
  const [picked, setPicked] = useState<number | null>(null);
  const first = places ? (nextOpen(places, -1, looks.waiting) ?? 0) : 0;
  const at = picked ?? first;
  const place = places?.[at] ?? null;
  const go = (step: number) => {
    if (places) {
      setPicked(Math.max(0, Math.min(places.length - 1, at + step)));
    }
  };
  const say = (label: number | null | undefined, note = place?.note ?? "") => {
    if (!interpreter) {
      useUi.getState().say("Write your name first: what is seen has one.", "wrong");
      return;
    }
    if (place && places) {
      looks.say({ number: place.number, label, note });
      const waiting = new Set([...looks.waiting, place.number]);
      setPicked(label === undefined ? at : (nextOpen(places, at, waiting) ?? at));
    }
  };
  /** Writes a note beside what was said of the place. */
  const annotate = (note: string) => {
    if (place?.isLooked) {
      looks.say({ number: place.number, label: place.label, note });
    }
  };
  return { places, place, at, go, say, annotate, waiting: looks.waiting, interpreter };
}

/** A sample that is looked at. */
export type LookingAt = ReturnType<typeof useLooking>;

/** Says by key what a place is, and goes on by J and K. */
function useLookKeys(classes: readonly ToldClass[], { go, say }: LookingAt): void {
  const onKey = useEffectEvent((event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event)) {
      return;
    }
    const key = event.key.toUpperCase();
    const told = classes.find((one) => one.key === key);
    if (told) {
      say(told.label);
    } else if (key === UNSURE_KEY) {
      say(null);
    } else if (key === "J" || key === "K") {
      go(key === "J" ? 1 : -1);
    } else {
      return;
    }
    event.preventDefault();
  });
  useEffect(() => {
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}

interface Props {
  map: ChangeMap;
  sample: Sample;
  looking: LookingAt;
}

/** Which place is looked at, what it can be said to be, and how many are left. */
export function Looking({ map, sample, looking }: Props) {
  const classes = toldClasses(map);
  useLookKeys(classes, looking);
  const { places, place, at, go, say, waiting } = looking;
  if (!places || !place) {
    return (
      <Section>
        <p className="text-soft">Loading places …</p>
      </Section>
    );
  }
  const done = places.filter(({ isLooked }) => isLooked).length;
  return (
    <Section
      title={
        <span className="flex items-center gap-3">
          Place {number(at + 1)} of {number(places.length)}
          <ReviewerName />
        </span>
      }
      right={
        <span className="flex gap-1">
          <Step name="The place before" keys="K" icon={ChevronLeft} go={() => go(-1)} />
          <Step name="The next place" keys="J" icon={ChevronRight} go={() => go(1)} />
        </span>
      }
    >
      <Bar share={done / places.length} label="Places looked at" />
      <p className="mb-2 mt-1 text-label text-soft" role="status">
        {number(done)} looked at
        {waiting.size > 0 && `, ${number(waiting.size)} being kept`}
        {done === places.length && ": all of them. See Result"}
      </p>
      <Others sample={sample} interpreter={looking.interpreter} />
      <p className="mb-2">
        What is in the square, by the dates alone? What the map says there is not shown.
      </p>
      <div className="grid grid-cols-2 gap-1.5" role="group" aria-label="What the place is">
        {classes.map(({ label, name, color, key }) => (
          <ClassButton
            key={label}
            {...{ name, color, keyName: key }}
            isSaid={place.isLooked && place.label === label}
            say={() => say(label)}
          />
        ))}
        <ClassButton
          {...{ name: "Cannot tell", color: null, keyName: UNSURE_KEY }}
          isSaid={place.isLooked && place.label === null}
          say={() => say(null)}
        />
      </div>
      <Remark key={place.number} place={place} looking={looking} />
    </Section>
  );
}

/** Who else looks at the sample, and at how many places of it; not what they see. */
function Others({ sample, interpreter }: { sample: Sample; interpreter: string }) {
  const others = sample.interpreters.filter((one) => one.interpreter !== interpreter);
  return others.length === 0 ? null : (
    <p className="mb-2 truncate text-label text-soft" aria-label="Others who look">
      {others.map(({ interpreter: name, places }) => `${name}: ${number(places)}`).join(" · ")}
    </p>
  );
}

const Step = ({
  name,
  keys,
  icon: Icon,
  go,
}: {
  name: string;
  keys: string;
  icon: typeof ChevronLeft;
  go(): void;
}) => (
  <Button
    tone="quiet"
    className="h-7 w-7 px-0!"
    aria-label={name}
    title={`${name}. Key ${keys}`}
    onClick={go}
  >
    <Icon size={16} aria-hidden />
  </Button>
);

interface ClassProps {
  name: string;
  color: string | null;
  keyName: string | null;
  isSaid: boolean;
  say(): void;
}

const ClassButton = ({ name, color, keyName, isSaid, say }: ClassProps) => (
  <Button
    aria-pressed={isSaid}
    title={name}
    className={cx("min-w-0 justify-start gap-1.5 px-2!", isSaid && "border-spruce bg-[#e2ece7]")}
    onClick={say}
  >
    <span
      aria-hidden
      className="h-2.5 w-2.5 shrink-0 rounded-[3px] border border-line"
      style={{ background: color ?? "transparent" }}
    />
    <span className="min-w-0 flex-1 truncate text-left">{name}</span>
    {keyName && <kbd className="font-mono text-[11px] font-normal text-soft">{keyName}</kbd>}
  </Button>
);

/** A note on a place that was looked at, and what takes back what was said of it. */
function Remark({ place, looking: { annotate, say } }: { place: Place; looking: LookingAt }) {
  const [text, setText] = useState(place.note);
  if (!place.isLooked) {
    return null;
  }
  return (
    <div className="mt-2 flex gap-1.5">
      <input
        className={inputStyle}
        aria-label="Note on this place"
        placeholder="Note"
        maxLength={2000}
        value={text}
        onChange={({ target }) => setText(target.value)}
        onBlur={() => text.trim() !== place.note && annotate(text.trim())}
      />
      <Button className="shrink-0" onClick={() => say(undefined)}>
        Take back
      </Button>
    </div>
  );
}
