import type { ReactNode } from "react";
import { useNavigate } from "react-router";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { Button } from "../ui/Button";

/** Compare while there are not two dates yet: what is needed first. */
export function NoPair({
  studyId,
  dates,
  strip,
}: {
  studyId: string;
  dates: number;
  strip: ReactNode;
}) {
  const go = useNavigate();
  return (
    <Workspace
      label="Compare"
      strip={strip}
      picture={
        <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
          <div className="w-[380px]">
            <p className="mb-3 text-[15px] text-white">Two dates are needed</p>
            <p className="mb-4">
              {dates === 0
                ? "Add a scene from before the event and one from after."
                : "One scene is there; add the other side of the event."}
            </p>
            <Button onClick={() => void go(`/studies/${studyId}/scenes`)}>Go to Scenes</Button>
          </div>
        </div>
      }
      desk={
        <Section title="Compare">
          <p className="text-soft">
            Measure, thresholds and classes appear here once both dates are there.
          </p>
        </Section>
      }
    />
  );
}
