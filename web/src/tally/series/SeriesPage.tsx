import { useOutletContext } from "react-router";
import { useScenes, useSides } from "../../api/hooks";
import type { Scene, Side, Study } from "../../api/types";
import { type SceneKind, pairKinds } from "../../compare/pair";
import { EmptyPicture } from "../../frame/EmptyPicture";
import { Section } from "../../frame/Section";
import { Workspace } from "../../frame/Workspace";
import { TimeStrip } from "../../frame/strip/TimeStrip";
import { CountOf } from "../CountOf";
import { CountDesk } from "./CountDesk";
import { DatesTable } from "./DatesTable";
import { SeriesFooter } from "./SeriesFooter";
import { SeriesPicture } from "./SeriesPicture";
import { useCount } from "./useCount";
import { useSeries } from "./useSeries";

/**
 * Every date by itself: how much of the ground is water, burned or green, plotted over the series.
 */
export function SeriesPage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  const sides = useSides(study.id).data;
  if (!scenes || !sides) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const able = scenes.filter(
    (scene) => scene.acquiredAt && sides.some((side) => side.sceneId === scene.id && side.node),
  );
  const kinds = pairKinds(able);
  return kinds.length === 0 ? (
    <NoDates study={study} scenes={scenes} />
  ) : (
    <SeriesOf study={study} scenes={scenes} sides={sides} kinds={kinds} />
  );
}

function NoDates({ study, scenes }: { study: Study; scenes: Scene[] }) {
  return (
    <Workspace
      label="Tally"
      strip={<TimeStrip study={study} scenes={scenes} beforeId={null} afterId={null} />}
      picture={
        <EmptyPicture title="Two dates are needed">
          <p>Add scenes of several dates, and prepare them; each is counted by itself here.</p>
        </EmptyPicture>
      }
      desk={
        <Section title="Tally">
          <CountOf />
        </Section>
      }
    />
  );
}

interface Props {
  study: Study;
  scenes: Scene[];
  sides: Side[];
  kinds: SceneKind[];
}

function SeriesOf({ study, scenes, sides, kinds }: Props) {
  const count = useCount(study, scenes, sides, kinds);
  const shown = useSeries(study, sides, count.ask);
  return (
    <Workspace
      label="Tally"
      strip={
        <TimeStrip
          study={study}
          scenes={scenes}
          beforeId={study.compare?.beforeId ?? null}
          afterId={study.compare?.afterId ?? null}
        />
      }
      picture={<SeriesPicture study={study} count={count} shown={shown} />}
      desk={
        <>
          <Section title="Tally">
            <CountOf />
          </Section>
          <CountDesk kinds={kinds} count={count} left={shown.series?.left ?? []} />
          <DatesTable shown={shown} isRadar={count.band.unit === "dB"} />
        </>
      }
      footer={<SeriesFooter shown={shown} isRadar={count.band.unit === "dB"} />}
    />
  );
}
