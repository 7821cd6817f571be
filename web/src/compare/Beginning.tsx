import { useState } from "react";
import { useNavigate } from "react-router";
import { useProgress } from "../frame/progress";
import { number } from "../lib/format";
import { useNow } from "../lib/useNow";
import { Button } from "../ui/Button";

/** Seconds after which is said how long it takes already. */
const SAID_AFTER_S = 2;

/**
 * What goes on while there is no picture yet: both dates are looked at, for their histograms and the
 * first map. Dates that are not prepared are computed for that, which takes its time.
 */
export function Beginning({ studyId, isLooking }: { studyId: string; isLooking: boolean }) {
  const go = useNavigate();
  const { share, needs } = useProgress(studyId).prepare;
  const now = useNow(1000);
  const [since] = useState(() => Date.now());
  const seconds = Math.floor((now - since) / 1000);
  if (!isLooking) {
    return <p className="p-6 text-[#c9d0cd]">Loading the pair …</p>;
  }
  return (
    <div className="w-[440px] p-6 text-[#c9d0cd]" aria-live="polite">
      <p>
        Looking at both dates to begin with …
        {seconds >= SAID_AFTER_S && <span aria-hidden> {number(seconds)} s</span>}
      </p>
      {share < 1 && (
        <>
          <p className="my-3">
            {needs}. What is not prepared is computed on the way, here and for every picture: that
            can take a minute. Prepared once, it is there at once.
          </p>
          <Button onClick={() => void go(`/studies/${studyId}/prepare`)}>Prepare them first</Button>
        </>
      )}
    </div>
  );
}
