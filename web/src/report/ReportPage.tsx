import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { type ReactNode, useState } from "react";
import { useNavigate, useOutletContext } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Download, FileJson, FileText, Map as MapIcon, Table2 } from "lucide-react";
import { sayError } from "../api/client";
import { keys, useLedger, useScenes } from "../api/hooks";
import type { ChangeMap, Study } from "../api/types";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { bytes, dayYear, number, time } from "../lib/format";
import { ChangeMapPicker, usePickedMap } from "../tally/ChangeMapPicker";
import { ClassMap } from "../tally/ClassMap";
import { Inputs } from "../tally/Inputs";
import { useUi } from "../state/ui";
import { Bar, Button, Confirm } from "../ui/controls";
import { useFile } from "./useFile";

const FILES = [
  {
    format: "cog",
    name: "Change map, GeoTIFF",
    icon: MapIcon,
    text: "Cloud-optimised, with overviews, class names and colours, nodata and coordinate system; provenance inside.",
  },
  {
    format: "geojson",
    name: "Patches, GeoJSON",
    icon: FileJson,
    text: "One polygon a patch in longitude and latitude, with class, cells and area; provenance inside.",
  },
  {
    format: "csv",
    name: "Table, CSV",
    icon: Table2,
    text: "Areas by class and zone, with the inputs recalled below the table.",
  },
  {
    format: "provenance",
    name: "Provenance, JSON",
    icon: FileText,
    text: "Inputs with checksums, every parameter, the tally: to stand beside any of the files.",
  },
] as const;

/** Report: files of a change map, and how it came about. */
export function ReportPage() {
  const study = useOutletContext<Study>();
  const go = useNavigate();
  const { maps, map, pick } = usePickedMap(study.id);
  const scenes = useScenes(study.id).data ?? [];
  if (!maps) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      beforeId={
        scenes.find((scene) => scene.fileSha256 === map?.provenance.before.sha256)?.id ?? null
      }
      afterId={
        scenes.find((scene) => scene.fileSha256 === map?.provenance.after.sha256)?.id ?? null
      }
    />
  );
  if (!map) {
    return (
      <Workspace
        label="Report"
        strip={strip}
        picture={
          <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
            <div className="w-[360px]">
              <p className="mb-3 text-[15px] text-white">Nothing to hand over yet</p>
              <p className="mb-4">Write a change map in Compare; its files are made here.</p>
              <Button onClick={() => void go(`/studies/${study.id}/compare`)}>Go to Compare</Button>
            </div>
          </div>
        }
        desk={
          <Section title="Report">
            <p className="text-soft">Provenance and ledger appear here.</p>
          </Section>
        }
      />
    );
  }
  return <Report key={map.id} study={study} map={map} maps={maps} pick={pick} strip={strip} />;
}

function Report({
  study,
  map,
  maps,
  pick,
  strip,
}: {
  study: Study;
  map: ChangeMap;
  maps: ChangeMap[];
  pick(id: string): void;
  strip: ReactNode;
}) {
  const queryClient = useQueryClient();
  const [dying, setDying] = useState(false);
  const ledger = useLedger(study.id).data ?? [];
  const remove = useMutation({
    mutationFn: () => call(changeMapRoutes.remove, { params: { id: map.id } }),
    onSuccess: () => {
      void queryClient.invalidateQueries({ queryKey: keys.maps(study.id) });
      useUi.getState().say(`“${map.name}” was deleted.`);
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return (
    <Workspace
      label="Report"
      strip={strip}
      picture={
        <div className="flex h-full flex-col gap-3.5 overflow-auto bg-bone p-5 text-ink">
          <div className="flex items-end justify-between gap-4">
            <div>
              <p className="text-soft">{study.name}</p>
              <h1 className="text-figure font-bold">{map.name}</h1>
            </div>
            <div className="w-[340px]">
              <ChangeMapPicker maps={maps} map={map} pick={pick} />
            </div>
          </div>
          <ul className="grid grid-cols-2 gap-3">
            {FILES.map((found) => (
              <FileCard key={found.format} map={map} {...found} />
            ))}
          </ul>
          <div className="on-night relative min-h-[220px] flex-1 overflow-hidden rounded-card bg-night">
            <ClassMap map={map} study={study} only={null} />
            <ul className="pointer-events-none absolute left-2.5 top-2.5 rounded-field bg-night/85 px-2.5 py-1.5 text-[12px] text-white">
              {map.info.classes?.map((classInfo) => (
                <li key={classInfo.label} className="flex items-center gap-2">
                  <span
                    className="h-2.5 w-2.5 rounded-[3px]"
                    style={{ background: classInfo.color }}
                  />
                  {classInfo.name}
                </li>
              ))}
            </ul>
          </div>
        </div>
      }
      desk={
        <>
          <Section title="Provenance">
            <Inputs map={map} />
          </Section>
          <Section title="Ledger">
            <ol className="space-y-1.5">
              {[...ledger].reverse().map((ledgerEntry) => (
                <li key={ledgerEntry.id}>
                  <span className="text-label text-soft">
                    {dayYear(ledgerEntry.at)}, {time(new Date(ledgerEntry.at).toISOString())}
                  </span>
                  <div>
                    {ledgerEntry.what}
                    {typeof (ledgerEntry.detail.name ?? ledgerEntry.detail.file) === "string"
                      ? `: ${String(ledgerEntry.detail.name ?? ledgerEntry.detail.file)}`
                      : ""}
                  </div>
                </li>
              ))}
            </ol>
          </Section>
        </>
      }
      footer={
        <div className="flex items-center justify-between">
          <span className="text-soft">{number(map.patchCount)} patches</span>
          <Button onClick={() => setDying(true)}>Delete change map</Button>
          <Confirm
            open={dying}
            onOpenChange={setDying}
            title={`Delete “${map.name}”?`}
            act="Delete the map"
            onAct={() => remove.mutate()}
            text="Its patches and the files made from it are deleted with it. The scenes and the settings stay."
          />
        </div>
      }
    />
  );
}

function FileCard({
  map,
  format,
  name,
  icon: Icon,
  text,
}: { map: ChangeMap } & (typeof FILES)[number]) {
  const file = useFile(map, format);
  return (
    <li className="flex gap-3 rounded-card border border-line bg-paper p-3.5">
      <Icon size={20} className="mt-0.5 shrink-0 text-spruce" aria-hidden />
      <div className="min-w-0 flex-1">
        <h2 className="text-[14px]">{name}</h2>
        <p className="text-soft">{text}</p>
        {file.busy && (
          <div className="mt-2">
            <Bar share={file.progress} label={`Making ${name}`} />
          </div>
        )}
        {file.file && (
          <p className="mt-1 truncate text-label text-soft" title={file.file.name}>
            {file.file.name} · {bytes(file.file.size)}
          </p>
        )}
      </div>
      <Button
        tone={file.file ? "act" : "plain"}
        disabled={file.busy}
        aria-label={`${file.file ? "Download" : "Make"} ${name}`}
        onClick={file.get}
      >
        {file.file ? (
          <>
            <Download size={14} aria-hidden />
            Download
          </>
        ) : file.busy ? (
          "Making …"
        ) : (
          "Make"
        )}
      </Button>
    </li>
  );
}
