import { useOutletContext, useSearchParams } from "react-router";
import { useScenes } from "../api/hooks";
import type { Study } from "../api/types";
import { ExposurePage } from "../exposure/ExposurePage";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { usePickedMap } from "./ChangeMapPicker";
import { CountOf, countedIn } from "./CountOf";
import { FromToPage } from "./cover/FromToPage";
import { MapStrip } from "./MapStrip";
import { MapTally } from "./MapTally";
import { NoMap } from "./NoMap";
import { SeriesPage } from "./series/SeriesPage";

/** Tally: areas by class and zone, what became of what, and areas over all dates. */
export function TallyPage() {
  const study = useOutletContext<Study>();
  const [search] = useSearchParams();
  switch (countedIn(search)) {
    case "dates":
      return <SeriesPage />;
    case "cover":
      return <FromToPage study={study} />;
    case "map":
    case "exposure":
      return <MapPage />;
  }
}

function MapPage() {
  const study = useOutletContext<Study>();
  const [search] = useSearchParams();
  const { maps, map, pick } = usePickedMap(study.id);
  const scenes = useScenes(study.id).data ?? [];
  if (!maps) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const strip = <MapStrip study={study} scenes={scenes} map={map} />;
  if (map) {
    const Page = countedIn(search) === "exposure" ? ExposurePage : MapTally;
    return <Page key={map.id} {...{ study, map, maps, pick, strip }} />;
  }
  return (
    <Workspace
      label="Tally"
      strip={strip}
      picture={
        <NoMap
          studyId={study.id}
          title="Nothing to count yet"
          text="Write a change map in Compare; its areas by class and zone appear here."
        />
      }
      desk={
        <Section title="Tally">
          <div className="mb-3">
            <CountOf />
          </div>
          <p className="text-soft">The inputs of the table are recalled here.</p>
        </Section>
      }
    />
  );
}
