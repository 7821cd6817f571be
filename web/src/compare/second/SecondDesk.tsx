import { type ReactNode } from "react";
import { Satellite, X } from "lucide-react";
import { classesFrom } from "@hindglance/core/change/classSource";
import type { SecondLook, SecondSensor } from "@hindglance/core/change/second";
import { bandsIn, indicesIn } from "@hindglance/core/change/second";
import { firstCondition, firstLook, proposeSecond } from "@hindglance/core/change/secondPick";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { Scene, Study } from "../../api/types";
import { dayYear } from "../../lib/format";
import { Button } from "../../ui/Button";
import { Row } from "../../ui/Labelled";
import { Pick } from "../../ui/Pick";
import { useCompare } from "../state";
import type { ComparisonOnScreen } from "../useComparison";
import { type OfferedScene, offeredScenes, pairOf } from "./candidates";
import { ConfirmsFields } from "./ConfirmsFields";
import { SecondShares } from "./SecondShares";
import { type SecondShow, ShowChoice } from "./ShowChoice";

interface Props {
  study: Study;
  scenes: readonly Scene[];
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  head: ReactNode;
  show: SecondShow;
  setShow(show: SecondShow): void;
}

const HELP =
  "Another sensor that saw the ground near the same dates is asked about the classes: where it confirms them, where it does not, and where cloud or its frame did not let it look. Its layers are there for rules too.";

/** The second sensor: which scenes of it are asked, what confirms which classes, and what it says. */
export function SecondDesk({ head, ...props }: Props) {
  const { setup } = props;
  return (
    <section aria-label="Second sensor" className="border-b border-line px-4 py-2">
      {head && <div className="mb-2">{head}</div>}
      {setup.second ? <Asked {...props} second={setup.second} /> : <NotAsked {...props} />}
    </section>
  );
}

const change = (apply: (second: SecondSensor | null) => SecondSensor | null): void =>
  useCompare.getState().change((old) => ({ ...old, second: apply(old.second ?? null) }));

/** Nothing is asked yet: what could be, or why nothing can. */
function NotAsked({ study, scenes, shown, setup }: Omit<Props, "head">) {
  if (!shown.pair) {
    return null;
  }
  const pair = pairOf(shown.pair);
  const offered = offeredScenes(scenes, shown.sideOf, pair);
  const labels = classesFrom(setup).map(({ label }) => label);
  const proposed = proposeSecond(offered, pair, {
    hazard: study.hazard,
    labels: labels.slice(0, 1),
  });
  const nearest = offered.find(({ id }) => id === proposed?.afterId);
  return (
    <>
      <p className="mb-2 text-soft">{HELP}</p>
      {proposed && nearest ? (
        <Button onClick={() => change(() => proposed)}>
          <Satellite size={13} aria-hidden />
          Ask {nearest.name}
        </Button>
      ) : (
        <p className="text-soft">{lacking(offered.length)}</p>
      )}
    </>
  );
}

const lacking = (count: number): string =>
  count === 0
    ? "No scene of another sensor is in the study and ready: import one in Scenes, and prepare it."
    : "No scene of another sensor lies within 15 days of after.";

/** What of a scene can be looked at, by the value that a list gives it. */
function looksIn(info: ImageInfo): { value: string; name: string; note?: string }[] {
  return [
    ...indicesIn(info).map(({ id, name, formula }) => ({
      value: `index:${id}`,
      name,
      note: formula,
    })),
    ...bandsIn(info).map(({ name }) => ({ value: `band:${name}`, name })),
  ];
}

const valueOf = (look: SecondLook): string =>
  look.index == null ? `band:${look.band}` : `index:${look.index}`;

function lookFrom(value: string): SecondLook {
  const name = value.slice(value.indexOf(":") + 1);
  return value.startsWith("index:") ? { index: name } : { band: name };
}

const titleOf = ({ name, acquiredAt }: OfferedScene): { name: string; note: string } => ({
  name,
  note: dayYear(acquiredAt!),
});

const NONE = "none";

const set = (some: Partial<SecondSensor>): void => change((old) => old && { ...old, ...some });

interface AskedProps extends Omit<
  Props,
  "head" | "scenes" | "show" | "setShow" | "shown" | "setup"
> {
  second: SecondSensor;
  offered: readonly OfferedScene[];
}

/** What is looked at from now on, with a condition to begin with. */
function pickLook({ study, second, offered }: AskedProps, value: string): void {
  const look = lookFrom(value);
  const info = offered.find(({ id }) => id === second.afterId)?.info;
  const { confirms, beforeId } = second;
  const begin = info && firstCondition(study.hazard, look, { info, hasBefore: beforeId !== null });
  set({ look, confirms: confirms && begin ? { labels: confirms.labels, ...begin } : confirms });
}

/** Another scene near after; what is looked at stays where it has it. */
function pickAfter({ study, second, offered }: AskedProps, id: string): void {
  const next = offered.find((one) => one.id === id)!.info!;
  const keeps = looksIn(next).some(({ value }) => value === valueOf(second.look));
  const look = keeps ? second.look : firstLook(study.hazard, next);
  set({ afterId: id, ...(look ? { look } : {}) });
}

/** Which scenes are asked, and what is looked at in them. */
function ScenePicks(props: AskedProps) {
  const { second, offered } = props;
  const after = offered.find(({ id }) => id === second.afterId) ?? null;
  const alike = offered.filter(({ id, kind }) => kind === after?.kind && id !== second.afterId);
  return (
    <>
      <Row label="Near after">
        <Pick
          label="Scene near after"
          className="w-[210px]"
          value={after?.id ?? ""}
          placeholder="The scene that was asked is gone"
          onChange={(id) => pickAfter(props, id)}
          options={offered.map((one) => ({ value: one.id, ...titleOf(one) }))}
        />
      </Row>
      <Row label="Near before">
        <Pick
          label="Scene near before"
          className="w-[210px]"
          value={second.beforeId ?? NONE}
          onChange={(id) => set({ beforeId: id === NONE ? null : id })}
          options={[
            { value: NONE, name: "None" },
            ...alike.map((one) => ({ value: one.id, ...titleOf(one) })),
          ]}
        />
      </Row>
      <Row label="Looked at">
        <Pick
          label="What is looked at"
          className="w-[210px]"
          value={valueOf(second.look)}
          onChange={(value) => pickLook(props, value)}
          options={after?.info ? looksIn(after.info) : []}
        />
      </Row>
    </>
  );
}

/** No second sensor is asked any more, and nothing leaves because of it. */
const askNone = (): void =>
  useCompare.getState().change((old) => ({
    ...old,
    second: null,
    limits: { ...old.limits, against: null },
  }));

/** What a second sensor is asked, what it says, and what of it lies on the map. */
function Asked({
  study,
  scenes,
  shown,
  setup,
  second,
  show,
  setShow,
}: Omit<Props, "head"> & { second: SecondSensor }) {
  if (!shown.pair) {
    return null;
  }
  const offered = offeredScenes(scenes, shown.sideOf, pairOf(shown.pair));
  const info = offered.find(({ id }) => id === second.afterId)?.info ?? null;
  const hasBefore = second.beforeId !== null;
  return (
    <>
      <ScenePicks {...{ study, second, offered }} />
      <ConfirmsFields
        second={second}
        classes={classesFrom(setup)}
        begin={info && firstCondition(study.hazard, second.look, { info, hasBefore })}
        change={(confirms) => set({ confirms })}
      />
      {second.confirms && (
        <SecondShares
          tally={shown.numbers.confirmed}
          confirms={second.confirms}
          classes={classesFrom(setup)}
          running={shown.numbers.running}
        />
      )}
      <ShowChoice show={show} setShow={setShow} canSay={second.confirms !== null} />
      <div className="mt-2 flex justify-end">
        <Button
          onClick={() => {
            setShow("classes");
            askNone();
          }}
        >
          <X size={13} aria-hidden />
          Ask no second sensor
        </Button>
      </div>
    </>
  );
}
