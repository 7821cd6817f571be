import { Section } from "../../frame/Section";
import { dayYear } from "../../lib/format";
import { Button } from "../../ui/Button";
import { Warning } from "../../ui/Messages";
import type { FromToOnScreen } from "./useFromTo";
import { useTakeToCompare } from "./useTakeToCompare";

/** What became of what as a change map: with limits, verdicts, tally and report. */
export function ChangeMapSection({ studyId, shown }: { studyId: string; shown: FromToOnScreen }) {
  const { dates, isOfPictures, take, isPending } = useTakeToCompare(studyId, shown);
  return (
    <Section title="Change map">
      {dates ? (
        <p className="mb-2 text-soft">
          Over the {isOfPictures ? "pictures" : "classes"} of{" "}
          {dayYear(dates.before.scene.acquiredAt!)} and {dayYear(dates.after.scene.acquiredAt!)},
          with limits, for Review and Report.
        </p>
      ) : (
        <div className="mb-2">
          <Warning>A change map is of two days: say under Scenes when both maps were made.</Warning>
        </div>
      )}
      <Button disabled={!dates || isPending} onClick={take}>
        Take to Compare
      </Button>
    </Section>
  );
}
