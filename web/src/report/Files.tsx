import {
  FILE_FORMAT_NAMES,
  type FileFormat,
  type FileGroup,
  NO_SAMPLE,
  fileWords,
  lackOf,
} from "@hindglance/contract/files";
import {
  Download,
  FileImage,
  type LucideIcon,
  Map as MapIcon,
  Package,
  Shapes,
  Table2,
} from "lucide-react";
import { useSamples } from "../accuracy/useSamples";
import type { ChangeMap } from "../api/types";
import { bytes } from "../lib/format";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { useFile } from "./useFile";

const ICONS: Record<FileGroup, LucideIcon> = {
  sheets: FileImage,
  images: MapIcon,
  patches: Shapes,
  tables: Table2,
  whole: Package,
};
/** Groups in their order; one that is wide has its files side by side. */
const GROUPS: readonly { group: FileGroup; title: string; isWide: boolean }[] = [
  { group: "whole", title: "The whole", isWide: true },
  { group: "sheets", title: "Sheet and slides", isWide: true },
  { group: "images", title: "Images", isWide: false },
  { group: "patches", title: "Patches", isWide: false },
  { group: "tables", title: "Tables", isWide: true },
];

/** Files that can be made of a map, by what they are about, each with what it holds. */
export const Files = ({ map }: { map: ChangeMap }) => (
  <div className="grid shrink-0 grid-cols-2 gap-x-3 gap-y-3.5">
    {GROUPS.map(({ group, title, isWide }) => (
      <section key={group} aria-label={title} className={isWide ? "col-span-2" : ""}>
        <h2 className="mb-1.5 text-label uppercase tracking-wide text-soft">{title}</h2>
        <ul className={isWide ? "grid grid-cols-2 gap-x-3 gap-y-1.5" : "space-y-1.5"}>
          {FILE_FORMAT_NAMES.filter((format) => fileWords(format).group === group).map((format) => (
            <FileCard key={format} map={map} format={format} />
          ))}
        </ul>
      </section>
    ))}
  </div>
);

/** What the button of a file does: it is made first, and taken then. */
function FileAct({ isMade, isBusy }: { isMade: boolean; isBusy: boolean }) {
  if (isMade) {
    return (
      <>
        <Download size={14} aria-hidden />
        Download
      </>
    );
  }
  return isBusy ? "Making …" : "Make";
}

/** Why a file cannot be made yet, or null. */
function useLack(map: ChangeMap, format: FileFormat): string | null {
  const samples = useSamples(map).data;
  const isDrawn = samples?.some(({ places }) => places > 0) ?? true;
  return format === "sample" && !isDrawn ? NO_SAMPLE : lackOf(format, map);
}

function FileCard({ map, format }: { map: ChangeMap; format: FileFormat }) {
  const { name, text, group } = fileWords(format);
  const Icon = ICONS[group];
  const lack = useLack(map, format);
  const { file, busy, progress, get } = useFile(map, format);
  const said = file ? `${file.name} · ${bytes(file.size)}` : (lack ?? text);
  return (
    <li className="flex items-center gap-3 rounded-card border border-line bg-paper px-3 py-2">
      <Icon size={18} className="shrink-0 text-spruce" aria-hidden />
      <div className="min-w-0 flex-1">
        <h3 className="truncate text-[13.5px] leading-5">{name}</h3>
        {busy ? (
          <div className="py-1.5">
            <Bar share={progress} label={`Making ${name}`} />
          </div>
        ) : (
          <p className="truncate text-label text-soft" title={said}>
            {said}
          </p>
        )}
      </div>
      <Button
        tone={file ? "act" : "plain"}
        disabled={busy || lack !== null}
        aria-label={`${file ? "Download" : "Make"} ${name}`}
        onClick={get}
      >
        <FileAct isMade={file !== null} isBusy={busy} />
      </Button>
    </li>
  );
}
