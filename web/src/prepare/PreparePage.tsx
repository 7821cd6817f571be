import { useMemo, useState } from "react";
import { useNavigate, useOutletContext } from "react-router";
import { FAMILIES, type Family } from "@hindglance/core/chain/family";
import { useScenes } from "../api/hooks";
import type { Scene, Study } from "../api/types";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { Button } from "../ui/Button";
import { FamilyPage } from "./FamilyPage";

/** Whether a chain of a family takes a scene. */
const TAKES: Record<Family, (scene: Scene) => boolean> = {
  radar: (scene) => !!scene.imageId && !!scene.info?.sensor,
  optical: (scene) => !!scene.imageId && !!scene.acquiredAt && !!scene.info?.optical,
};

/** Prepare: one chain for every date, looked at step by step. */
export function PreparePage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  const families = useMemo(
    () => FAMILIES.filter((family) => scenes?.some(TAKES[family])),
    [scenes],
  );
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
