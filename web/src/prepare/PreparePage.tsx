import { useEffect, useMemo, useState } from "react";
import { useNavigate, useOutletContext } from "react-router";
import type { Chain, Family } from "@hindglance/core/chain/family";
import { settingsOf } from "@hindglance/core/chain/family";
import { Undo2 } from "lucide-react";
import { sayError } from "../api/client";
import { useScenes } from "../api/hooks";
import type { NodeView, Scene, Study } from "../api/types";
import { Section, Workspace } from "../frame/Frame";
import {
  type Look,
  bandLook,
  bandsOfLook,
  inCommon,
  joint,
  looksOf,
  stretchesOf,
} from "../map/look";
import type { Stretch } from "../map/layers";
import { Button, Chip, Pick, Problem } from "../ui/controls";
import { Board } from "./Board";
import { Offers } from "./Offers";
import { StepDesk } from "./StepDesk";
import {
  type FieldBox,
  type Pictures,
  StepPicture,
  StepProblem,
  useStepNodes,
} from "./StepPicture";
import { StepSpectra } from "./StepSpectra";
import { STEP_WORDS } from "./steps";
import { type Field, useField, useFields } from "./useFields";
import { STEPS_OF, changed, useDesk } from "./chainState";
import { usePrepare } from "./usePrepare";

/** Families of which a study has scenes that a chain takes. */
const familiesOf = (scenes: readonly Scene[]): Family[] => [
  ...(scenes.some((scene) => scene.imageId && scene.info?.sensor) ? ["radar" as const] : []),
  ...(scenes.some((scene) => scene.imageId && scene.acquiredAt && scene.info?.optical)
    ? ["optical" as const]
    : []),
];

/** Prepare: one chain for every date, looked at step by step. */
export function PreparePage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  const families = useMemo(() => familiesOf(scenes ?? []), [scenes]);
  const [wanted, setWanted] = useState<Family | null>(null);
  if (!scenes) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const family = wanted && families.includes(wanted) ? wanted : families[0];
  if (!family) {
    return <NothingYet studyId={study.id} />;
  }
  return (
    <FamilyPage
      key={`${study.id}.${family}`}
      study={study}
      family={family}
      families={families}
      onFamily={setWanted}
    />
  );
}

function NothingYet({ studyId }: { studyId: string }) {
  const go = useNavigate();
  return (
    <Workspace
      label="Prepare"
      strip={null}
      picture={
        <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
          <div className="w-[400px]">
            <p className="mb-3 text-[15px] text-white">Nothing to prepare is here yet</p>
            <p className="mb-4">
              Prepare takes radar products in the SAFE layout and the bands of optical scenes with
              their metadata. Images that are calibrated and on the map already go straight to
              Compare.
            </p>
            <Button onClick={() => void go(`/studies/${studyId}/scenes`)}>Go to Scenes</Button>
          </div>
        </div>
      }
      desk={
        <Section title="Prepare">
          <p className="text-soft">One chain for every date: what is done to one is done to all.</p>
        </Section>
      }
    />
  );
}

const NONE: (Field | null)[] = [];
/** Looks, stretches and figures of both sides of a step. */
function usePictures(
  family: Family,
  input: NodeView | null,
  output: NodeView | null,
  look: Look,
  box: { input: FieldBox; output: FieldBox } | null,
  haze: boolean,
) {
  const a = useMemo(() => (input ? bandsOfLook(input.info.bands, look) : [0]), [input, look]);
  const b = useMemo(() => (output ? bandsOfLook(output.info.bands, look) : [0]), [output, look]);
  // Figures of in stand beside those of out only where both are of one band.
  const fa = useFields(input?.hash ?? null, null, input ? a : []);
  const fb = useFields(output?.hash ?? null, null, output ? b : []);
  const sameBand =
    family === "radar" || input?.info.bands[a[0]!]?.name === output?.info.bands[b[0]!]?.name;
  const fields = {
    input: useField(sameBand ? (input?.hash ?? null) : null, box?.input ?? null, a[0]),
    output: useField(output?.hash ?? null, box?.output ?? null, b[0]),
  };
  const pictures = useMemo((): Pictures => {
    const sa = stretchesOf(fa.length ? fa : NONE);
    const sb = stretchesOf(fb.length ? fb : NONE);
    const level =
      family === "optical" ||
      (fa[0] && fb[0] && fa[0].unit === fb[0].unit && Math.abs(fa[0].mean - fb[0].mean) < 5);
    const same =
      a.length === b.length &&
      input?.info.bands[a[0]!]?.role === output?.info.bands[b[0]!]?.role &&
      level;
    // One stretch for both sides where they are on one level, so that a difference seen is a
    // difference made.
    let both: Stretch[] | null;
    if (sa && sb && same) {
      if (family === "optical") {
        both = joint(sa, sb);
      } else {
        both = sa;
      }
    } else {
      both = null;
    }
    const seen = (x: Stretch[] | null) =>
      x && family === "optical" && look === "natural" && x.length === 3 ? inCommon(x) : x;
    return {
      input: { bands: a, stretches: seen(both ?? sa) },
      output: { bands: b, stretches: seen(both ?? sb) },
      levels: haze,
    };
  }, [family, look, fa, fb, a, b, input, output, haze]);
  return { pictures, fields };
}

function FamilyPage({
  study,
  family,
  families,
  onFamily,
}: {
  study: Study;
  family: Family;
  families: readonly Family[];
  onFamily(found: Family): void;
}) {
  const prepare = usePrepare(study.id, family);
  const desk = useDesk();
  const { open, pick } = desk;
  useEffect(() => {
    open(study.id, family);
  }, [open, study.id, family]);
  const view = prepare.view;
  const inside = useMemo(
    () => view?.rows.filter((boardRow) => !view.heldOut.includes(boardRow.sceneId)) ?? [],
    [view],
  );
  const row =
    inside.find((boardRow) => boardRow.sceneId === desk.sceneId) ??
    inside.find((boardRow) => boardRow.sceneId === study.compare?.afterId) ??
    inside.at(-1) ??
    null;
  useEffect(() => {
    if (
      row &&
      desk.studyId === study.id &&
      desk.family === family &&
      desk.sceneId !== row.sceneId
    ) {
      pick(row.sceneId, desk.step);
    }
  }, [row, desk.sceneId, desk.step, desk.studyId, desk.family, family, pick, study.id]);
  const { undo } = prepare;
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (
        (e.ctrlKey || e.metaKey) &&
        e.key.toLowerCase() === "z" &&
        !/^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName)
      ) {
        e.preventDefault();
        undo();
      }
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [undo]);

  const mine = desk.family === family && desk.studyId === study.id;
  const step = mine ? desk.step : STEPS_OF[family][0]!;
  const chainKey = view
    ? JSON.stringify([view.chain, view.exceptions, view.heldOut, view.orbits.length, row?.result])
    : "";
  const nodes = useStepNodes(
    study.id,
    family,
    prepare.saving ? null : (row?.sceneId ?? null),
    step,
    chainKey,
  );
  const [marking, setMarking] = useState<"field" | "preview" | null>(null);
  const [field, setField] = useState<{ key: string; input: FieldBox; output: FieldBox } | null>(
    null,
  );
  const frame = nodes.data
    ? `${row?.sceneId}/${nodes.data.output.info.grid.crs.code}/${nodes.data.input.info.grid.crs.code}/${nodes.data.input.info.grid.width}`
    : "";
  const box = field && field.key === frame ? field : null;
  const [look, setLook] = useState<Look | null>(null);
  const [haze, setHaze] = useState(false);
  const [preview, setPreview] = useState<[number, number, number, number] | null>(null);
  const [spot, setSpot] = useState<[number, number] | null>(null);
  const made =
    view && step === "indices"
      ? (view.chain.indices as unknown as { outputs: { name: string }[] }).outputs[0]?.name
      : undefined;
  const looks = nodes.data && family === "optical" ? looksOf(nodes.data.output.info.bands) : [];
  let shownLook: string;
  if (look && looks.some((choice) => choice.value === look)) {
    shownLook = look;
  } else if (made) {
    shownLook = bandLook(made);
  } else {
    shownLook = "natural";
  }
  const levels = haze && !!nodes.data?.levels;
  const {
    pictures,
    fields: { input, output },
  } = usePictures(
    family,
    nodes.data?.input ?? null,
    nodes.data?.output ?? null,
    family === "radar" ? "none" : shownLook,
    box,
    levels,
  );
  const what =
    family === "optical" && nodes.data
      ? (nodes.data.output.info.bands[pictures.output.bands[0]!]?.name ?? null)
      : null;

  if (prepare.error) {
    return (
      <div className="m-auto w-[440px]">
        <Problem>{sayError(prepare.error)}</Problem>
      </div>
    );
  }
  if (!view || !mine) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const scene = desk.only && row ? row.sceneId : null;
  const on = settingsOf(STEPS_OF[family], view.chain, view.exceptions, scene ?? "")[step]!.on;
  const words = STEP_WORDS[family][step]!.name;
  const before = previousName(family, view.chain, step);
  const names: [string, string] = [
    before,
    `${words}${row ? `, ${row.label}${row.tag ? ` ${row.tag}` : ""}` : ""}`,
  ];
  const toggle = () => prepare.set(changed(view, step, { on: !on }, scene));
  return (
    <Workspace
      label="Prepare"
      strip={
        <Board study={study} view={view} p={prepare} families={families} onFamily={onFamily} />
      }
      picture={
        row && nodes.data ? (
          <StepPicture
            study={study}
            nodes={nodes.data}
            sensor={nodes.data.sensor}
            names={names}
            pictures={pictures}
            marking={marking}
            preview={step === "mosaic" ? preview : null}
            onField={(found) => {
              setMarking(null);
              setField(found ? { key: frame, ...found } : null);
            }}
            onPreview={(b) => {
              setMarking(null);
              setPreview(b);
            }}
            {...(family === "optical" ? { onSpot: setSpot } : {})}
          >
            {family === "optical" && (
              <div
                className="absolute left-1/2 top-2.5 z-10 flex -translate-x-1/2 items-center gap-1.5 rounded-card bg-night/85 p-1"
                onPointerDown={(e) => e.stopPropagation()}
              >
                <Pick
                  label="What is shown"
                  className="h-7 w-[170px]"
                  value={shownLook}
                  onChange={(value) => {
                    setLook(value);
                    setHaze(false);
                  }}
                  options={looks}
                />
                {nodes.data.levels && (
                  <Chip on={levels} aria-pressed={levels} onClick={() => setHaze(!haze)}>
                    Haze map
                  </Chip>
                )}
                {step === "mosaic" &&
                  (preview ? (
                    <Chip onClick={() => setPreview(null)}>Show the whole</Chip>
                  ) : (
                    <Chip
                      on={marking === "preview"}
                      onClick={() => setMarking(marking === "preview" ? null : "preview")}
                    >
                      {marking === "preview" ? "Drag a box …" : "Preview a part"}
                    </Chip>
                  ))}
              </div>
            )}
            {spot && (
              <StepSpectra
                nodes={nodes.data}
                names={names}
                place={spot}
                onClose={() => setSpot(null)}
              />
            )}
          </StepPicture>
        ) : nodes.error ? (
          <StepProblem error={nodes.error} />
        ) : (
          <p className="p-6 text-[#c9d0cd]">
            {row ? "Loading the picture …" : "Every date is held out."}
          </p>
        )
      }
      desk={
        <>
          {family === "radar" && <Offers study={study} view={view} />}
          <StepDesk
            study={study}
            view={view}
            p={prepare}
            row={row}
            input={input}
            output={output}
            marking={marking === "field"}
            onMark={(m) => {
              setMarking(m ? "field" : null);
              if (m) {
                setField(null);
              }
            }}
            marked={!!box}
            what={what}
            chainKey={chainKey}
          />
        </>
      }
      footer={
        <div className="flex items-center justify-between gap-2">
          <Button onClick={toggle}>{on ? "Skip this step" : "Use this step"}</Button>
          <span className="flex gap-2">
            <Button title="Undo (Ctrl Z)" disabled={desk.past.length === 0} onClick={prepare.undo}>
              <Undo2 size={14} aria-hidden />
              Undo
            </Button>
            <Button
              tone="act"
              disabled={prepare.running || prepare.run.isPending || !row || row.ready}
              onClick={() => prepare.run.mutate([row!.sceneId])}
            >
              {row?.ready ? "This date is run" : "Run this date"}
            </Button>
          </span>
        </div>
      }
    />
  );
}

/** The last step before this one that is not skipped. */
function previousName(family: Family, chain: Chain, step: string): string {
  const order = STEPS_OF[family];
  for (let k = order.indexOf(step) - 1; k >= 0; k--) {
    if (chain[order[k]!]!.on) {
      return STEP_WORDS[family][order[k]!]!.name;
    }
  }
  return family === "radar" ? "Product" : "Bands";
}
