import { Flame, Layers, MapPin, Trash2, Waves } from "lucide-react";
import type { Hazard } from "@hindglance/contract/studies";
import type { StudySummary } from "../api/types";
import { dayYear, time } from "../lib/format";

const ICON: Record<Hazard, typeof Waves> = {
  flood: Waves,
  fire: Flame,
  "land cover": Layers,
  other: MapPin,
};

interface Props {
  study: StudySummary;
  open(): void;
  remove(): void;
}

const counted = (n: number, what: string): string => `${n} ${what}${n === 1 ? "" : "s"}`;

function aboutOf({ hazard, eventAt }: StudySummary): string {
  const name = `${hazard.slice(0, 1).toUpperCase()}${hazard.slice(1)}`;
  return eventAt
    ? `${name} · event ${dayYear(eventAt)}, ${time(new Date(eventAt).toISOString())}`
    : name;
}

/** One study in the list of all. */
export function StudyRow({ study, open, remove }: Props) {
  const Icon = ICON[study.hazard];
  return (
    <li className="flex items-center rounded-card border border-line bg-paper pr-3 hover:border-[#b9b2a0]">
      <button
        type="button"
        onClick={open}
        className="flex flex-1 items-center gap-4 px-4 py-3.5 text-left"
      >
        <span className="flex h-10 w-10 items-center justify-center rounded-full bg-bone text-before">
          <Icon size={19} aria-hidden />
        </span>
        <span className="flex-1">
          <span className="block text-[15px] font-semibold leading-5">{study.name}</span>
          <span className="text-soft">{aboutOf(study)}</span>
        </span>
        <span className="w-28 text-right text-soft">{counted(study.scenes, "scene")}</span>
        <span className="w-32 text-right text-soft">{counted(study.changeMaps, "change map")}</span>
      </button>
      <button
        type="button"
        aria-label={`Delete ${study.name}`}
        title="Delete"
        onClick={remove}
        className="ml-2 rounded p-2 text-soft hover:bg-bone hover:text-wrong"
      >
        <Trash2 size={16} aria-hidden />
      </button>
    </li>
  );
}
