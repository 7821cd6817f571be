import type { FileFormat } from "@hindglance/contract/changeMaps";
import {
  Download,
  FileJson,
  FileText,
  Globe,
  type LucideIcon,
  Map as MapIcon,
  Package,
  Shapes,
  Table2,
} from "lucide-react";
import type { ChangeMap } from "../api/types";
import { bytes } from "../lib/format";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { useFile } from "./useFile";

interface Kind {
  format: FileFormat;
  name: string;
  icon: LucideIcon;
  text: string;
}

const KINDS: readonly Kind[] = [
  {
    format: "cog",
    name: "Change map, GeoTIFF",
    icon: MapIcon,
    text: "Cloud-optimised; class names, colours, system, provenance",
  },
  {
    format: "geojson",
    name: "Patches, GeoJSON",
    icon: FileJson,
    text: "Outlines with class, area, verdict, doubt; provenance",
  },
  {
    format: "shapefile",
    name: "Patches, Shapefile",
    icon: Shapes,
    text: "Zipped; the same columns, named in ten letters",
  },
  {
    format: "kmz",
    name: "Patches, KMZ",
    icon: Globe,
    text: "The same columns, in the colours of the classes",
  },
  {
    format: "csv",
    name: "Table, CSV",
    icon: Table2,
    text: "Areas by class and zone, what was said of them, inputs",
  },
  {
    format: "provenance",
    name: "Provenance, JSON",
    icon: FileText,
    text: "Inputs with checksums, every parameter, the table",
  },
  {
    format: "bundle",
    name: "All files, ZIP",
    icon: Package,
    text: "Every file above, with a list of checksums",
  },
];

/** Files that can be made of a map, each with what it holds. */
export const Files = ({ map }: { map: ChangeMap }) => (
  <ul className="grid shrink-0 grid-cols-2 gap-2" aria-label="Files">
    {KINDS.map((kind) => (
      <FileCard key={kind.format} map={map} kind={kind} />
    ))}
  </ul>
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

function FileCard({ map, kind }: { map: ChangeMap; kind: Kind }) {
  const { format, name, icon: Icon, text } = kind;
  const { file, busy, progress, get } = useFile(map, format);
  const said = file ? `${file.name} · ${bytes(file.size)}` : text;
  return (
    <li className="flex items-center gap-3 rounded-card border border-line bg-paper px-3 py-2">
      <Icon size={18} className="shrink-0 text-spruce" aria-hidden />
      <div className="min-w-0 flex-1">
        <h2 className="text-[13.5px] leading-5">{name}</h2>
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
        disabled={busy}
        aria-label={`${file ? "Download" : "Make"} ${name}`}
        onClick={get}
      >
        <FileAct isMade={file !== null} isBusy={busy} />
      </Button>
    </li>
  );
}
