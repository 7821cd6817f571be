import { useState } from "react";
import { STANDINGS, type Standing, type Verdict } from "@hindglance/core/review/standing";
import type { ChangeMap } from "../api/types";
import { day, number, time } from "../lib/format";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import { Pop } from "../ui/Pop";
import { ReviewerName } from "./Judge";
import { usePatchCount } from "./patches";
import { STANDING_LOOKS } from "./standings";
import { VERDICT_WORDS, type VerdictsOnScreen, useActs, useStanding } from "./useVerdicts";
import type { ReviewOnScreen } from "./useReview";

interface Props {
  map: ChangeMap;
  review: ReviewOnScreen;
}

/** How the patches stand: which of them are listed, all at once, who said what. */
export function StandingBar({ map, review }: Props) {
  const { ask, change, verdicts } = review;
  const shown = ask.standings ?? STANDINGS;
  const turn = (standing: Standing) => {
    const next = STANDINGS.filter((one) => shown.includes(one) !== (one === standing));
    change({ standings: next.length === 0 || next.length === STANDINGS.length ? null : next });
  };
  return (
    <section
      aria-label="Verdicts"
      className="flex flex-wrap items-center gap-1.5 border-b border-line px-4 py-2"
    >
      {STANDINGS.map((standing) => {
        const { name, sign } = STANDING_LOOKS[standing];
        const isOn = shown.includes(standing);
        return (
          <Chip key={standing} on={isOn} aria-pressed={isOn} onClick={() => turn(standing)}>
            {sign && <span aria-hidden>{sign}</span>}
            {name}
          </Chip>
        );
      })}
      <AllListed map={map} review={review} />
      <History map={map} verdicts={verdicts} />
      <span className="ml-auto">
        <ReviewerName />
      </span>
    </section>
  );
}

/** Says something of all patches that are listed. */
function AllListed({ map, review: { ask, verdicts } }: Props) {
  const [isOpen, setOpen] = useState(false);
  const count = usePatchCount(map, ask).data?.count ?? 0;
  const { first: _first, sort: _sort, down: _down, ...which } = ask;
  const say = (verdict: Verdict) => {
    setOpen(false);
    verdicts.say({ which, verdict });
  };
  return (
    <Pop
      label="All that are listed"
      open={isOpen}
      onOpenChange={setOpen}
      trigger={
        <Chip className="border-dashed text-spruce" disabled={count === 0}>
          all listed …
        </Chip>
      }
    >
      <p className="text-soft">
        Says the same of all {number(count)} patches that are listed. Undo takes it back.
      </p>
      <div className="mt-2 flex gap-1.5">
        {VERDICT_WORDS.map(({ verdict, name }) => (
          <Button key={verdict} className="flex-1 px-2" onClick={() => say(verdict)}>
            {name}
          </Button>
        ))}
      </div>
    </Pop>
  );
}

/** What was said, by whom, and how far reviewers agree; any of it can be taken back. */
function History({ map, verdicts }: { map: ChangeMap; verdicts: VerdictsOnScreen }) {
  const [isOpen, setOpen] = useState(false);
  const acts = useActs(map, isOpen).data ?? [];
  const standing = useStanding(map).data;
  return (
    <Pop
      label="Who said what"
      width={360}
      open={isOpen}
      onOpenChange={setOpen}
      trigger={<Chip className="border-dashed text-spruce">history</Chip>}
    >
      {acts.length === 0 && <p className="text-soft">Nothing was said of this map yet.</p>}
      <ul aria-label="Reviewers" className="text-soft">
        {(standing?.reviewers ?? []).map(({ reviewer, patches }) => (
          <li key={reviewer}>
            {reviewer} judged {number(patches)} {patches === 1 ? "patch" : "patches"}
          </li>
        ))}
        {(standing?.agreement ?? []).map(({ reviewers, patches, alike, kappa }) => (
          <li key={reviewers.join(" ")}>
            {reviewers.join(" and ")} agree on {number(alike)} of {number(patches)}
            {kappa !== null && ` (κ ${number(kappa, 2)})`}
          </li>
        ))}
      </ul>
      <ol className="mt-2 max-h-[260px] overflow-y-auto" aria-label="Verdicts in their order">
        {acts.map((act) => (
          <li key={act.id} className="flex items-center justify-between gap-2 py-0.5">
            <span className={act.undone ? "text-soft line-through" : undefined}>
              {act.reviewer}: {act.verdict ?? "note"}
              {act.patches > 1 && `, ${number(act.patches)} patches`}
              <span className="text-soft">
                {" "}
                · {day(act.saidAt)} {time(act.saidAt)}
              </span>
            </span>
            <Button
              tone="quiet"
              className="h-6 px-1.5"
              onClick={() => verdicts.turn(act.id, !act.undone)}
            >
              {act.undone ? "Say again" : "Take back"}
            </Button>
          </li>
        ))}
      </ol>
    </Pop>
  );
}
