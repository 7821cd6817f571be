import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { type ReactNode, useState } from "react";
import { useOutletContext, useSearchParams } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { keys, useScenes } from "../api/hooks";
import type { ChangeMap, Study } from "../api/types";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { number } from "../lib/format";
import { ChangeMapPicker, usePickedMap } from "../tally/ChangeMapPicker";
import { ClassMap } from "../tally/ClassMap";
import { MapStrip } from "../tally/MapStrip";
import { NoMap } from "../tally/NoMap";
import { Inputs } from "../tally/inputs/Inputs";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { Confirm } from "../ui/Confirm";
import { Files } from "./Files";
import { HowRight } from "./HowRight";
import { ReportHead, roomIn } from "./ReportHead";
import { LedgerRoom } from "./ledger/LedgerRoom";
import { ImagesRoom } from "./images/ImagesRoom";
import { SheetRoom } from "./sheet/SheetRoom";
import { ServicesRoom } from "./services/ServicesRoom";
import { RecipesRoom } from "./recipes/RecipesRoom";

/** Report: what is handed over, and how it came about. */
export function ReportPage() {
  const study = useOutletContext<Study>();
  const [search] = useSearchParams();
  const { maps, map, pick } = usePickedMap(study.id);
  const scenes = useScenes(study.id).data ?? [];
  if (!maps) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const strip = <MapStrip study={study} scenes={scenes} map={map} />;
  if (roomIn(search) === "images") {
    const head = <ReportHead above={study.name} title="Images" />;
    return <ImagesRoom study={study} head={head} strip={strip} />;
  }
  if (roomIn(search) === "ledger") {
    const head = <ReportHead above={study.name} title="Ledger" />;
    return <LedgerRoom study={study} map={map} head={head} strip={strip} />;
  }
  if (roomIn(search) === "services") {
    const head = <ReportHead above={study.name} title="Open services" />;
    return <ServicesRoom study={study} maps={maps} head={head} strip={strip} />;
  }
  if (roomIn(search) === "recipes") {
    const head = <ReportHead above={study.name} title="Recipes" />;
    return <RecipesRoom study={study} head={head} strip={strip} />;
  }
  if (map && roomIn(search) === "sheet") {
    const head = (
      <ReportHead above={study.name} title={map.name}>
        <ChangeMapPicker maps={maps} map={map} pick={pick} />
      </ReportHead>
    );
    return <SheetRoom map={map} head={head} strip={strip} />;
  }
  return map ? (
    <Report key={map.id} study={study} map={map} maps={maps} pick={pick} strip={strip} />
  ) : (
    <Workspace
      label="Report"
      strip={strip}
      picture={
        <div className="flex h-full flex-col gap-3.5 bg-bone p-5 text-ink">
          <ReportHead above={study.name} title="Files of a change map" />
          <div className="relative min-h-0 flex-1">
            <NoMap
              studyId={study.id}
              title="Nothing to hand over yet"
              text="Write a change map in Compare; its files are made here."
            />
          </div>
        </div>
      }
      desk={
        <Section title="Report">
          <p className="text-soft">Provenance appears here.</p>
        </Section>
      }
    />
  );
}

interface Props {
  study: Study;
  map: ChangeMap;
  maps: ChangeMap[];
  pick(id: string): void;
  strip: ReactNode;
}

function Report({ study, map, maps, pick, strip }: Props) {
  return (
    <Workspace
      label="Report"
      strip={strip}
      picture={
        <div className="flex h-full flex-col gap-3.5 overflow-auto bg-bone p-5 text-ink">
          <ReportHead above={study.name} title={map.name}>
            <ChangeMapPicker maps={maps} map={map} pick={pick} />
          </ReportHead>
          <Files map={map} />
          <HowRight map={map} />
          <MapWithClasses study={study} map={map} />
        </div>
      }
      desk={
        <>
          <Section title="Provenance">
            <Inputs map={map} />
          </Section>
        </>
      }
      footer={<DeleteMap map={map} />}
    />
  );
}

const MapWithClasses = ({ study, map }: { study: Study; map: ChangeMap }) => (
  <div className="on-night relative min-h-[220px] flex-1 overflow-hidden rounded-card bg-night">
    <ClassMap map={map} study={study} only={null} />
    <ul className="pointer-events-none absolute left-2.5 top-2.5 rounded-field bg-night/85 px-2.5 py-1.5 text-[12px] text-white">
      {map.info.classes?.map(({ label, name, color }) => (
        <li key={label} className="flex items-center gap-2">
          <span className="h-2.5 w-2.5 rounded-[3px]" style={{ background: color }} />
          {name}
        </li>
      ))}
    </ul>
  </div>
);

function DeleteMap({ map }: { map: ChangeMap }) {
  const queryClient = useQueryClient();
  const [dying, setDying] = useState(false);
  const remove = useMutation({
    mutationFn: () => call(changeMapRoutes.remove, { params: { id: map.id } }),
    onSuccess: () => {
      void queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
      useUi.getState().say(`“${map.name}” was deleted.`);
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return (
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
  );
}
