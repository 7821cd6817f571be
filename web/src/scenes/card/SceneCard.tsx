import { positionDoubt } from "@hindglance/core/grid/doubt";
import type { Scene, Study } from "../../api/types";
import { Section } from "../../frame/Section";
import { Warning } from "../../ui/Messages";
import type { Display } from "../display";
import { answersSaid } from "../answers";
import { BandTable } from "./BandTable";
import { factsOf } from "./facts";
import { pairWarnings } from "./pairWarnings";
import { PictureSection } from "./PictureSection";
import { SceneActions } from "./SceneActions";
import { ClassNames } from "./ClassNames";
import { VerticalField } from "./VerticalField";

interface Props {
  study: Study;
  scenes: readonly Scene[];
  scene: Scene;
  display: Display;
  onDisplay(display: Display): void;
}

/** Everything a scene says of itself, how its numbers are spread, and how it is drawn. */
export function SceneCard({ study, scenes, scene, display, onDisplay }: Props) {
  const { detail } = scene;
  const last = scene.info!.bands.length - 1;
  const band = display.bands[0] > last ? last : display.bands[0];
  const position = positionDoubt(scene.info!.grid);
  const warnings = [
    ...(position ? [position] : []),
    ...(detail.leftOut ? [detail.leftOut] : []),
    ...(detail.warnings ?? []),
    ...pairWarnings(study, scenes, scene),
  ];
  return (
    <>
      <PictureSection scene={scene} display={display} band={band} onDisplay={onDisplay} />
      <Section title="What the file says">
        <Facts scene={scene} band={band} />
        {detail.form === "stack" && <BandTable scene={scene} />}
        <Answers scene={scene} />
        {warnings.map((warning) => (
          <div key={warning} className="mt-2">
            <Warning>{warning}</Warning>
          </div>
        ))}
        {scene.kind === "elevation" && <VerticalField scene={scene} />}
        {scene.info?.type === "class8" && scene.imageId && <ClassNames scene={scene} />}
        <SceneActions study={study} scenes={scenes} scene={scene} />
      </Section>
    </>
  );
}

/** What a person said at the import, where the files were silent. */
function Answers({ scene }: { scene: Scene }) {
  const answers = answersSaid(scene.detail.answers);
  return answers.length === 0 ? null : (
    <>
      <h3 className="mb-1 mt-3 text-label text-soft">Said at import</h3>
      <dl className="grid grid-cols-[92px_1fr] gap-y-1">
        {answers.map(([name, said]) => (
          <div key={name} className="contents">
            <dt className="text-soft">{name}</dt>
            <dd className="break-words">{said}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

const Facts = ({ scene, band }: { scene: Scene; band: number }) => (
  <dl className="grid grid-cols-[92px_1fr] gap-y-1">
    {factsOf(scene, band).map(([name, said], k) => (
      <div key={k} className="contents">
        <dt className="text-soft">{name}</dt>
        <dd className="break-words">{said}</dd>
      </div>
    ))}
    <dt className="text-soft">SHA-256</dt>
    <dd className="truncate font-mono text-[11px] leading-[18px]" title={scene.fileSha256}>
      {scene.fileSha256}
    </dd>
  </dl>
);
