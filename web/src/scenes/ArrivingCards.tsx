import { useMutation, useQueryClient } from "@tanstack/react-query";
import { uploadRoutes } from "@hindglance/contract/upload";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { useArriving } from "../api/hooks";
import type { ArrivingFile } from "../api/types";
import { bytes, number } from "../lib/format";
import { useNow } from "../lib/useNow";
import { useUi } from "../state/ui";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { lookAgain } from "./lookAgain";
import { useSending } from "./uploads";

/** Without new bytes for so long nobody sends any more, milliseconds. */
const SILENT_MS = 30_000;

/**
 * Files that other pages send, whose sending stopped, that are being looked at, or that were not
 * taken in. What this page sends is in its own list.
 */
export function ArrivingCards({ studyId, onChoose }: { studyId: string; onChoose(): void }) {
  const arriving = useArriving(studyId).data ?? [];
  const mine = useSending((queue) => queue.items).map(({ arrivingId }) => arrivingId);
  return arriving
    .filter(({ id }) => !mine.includes(id))
    .map((thing) => (
      <div key={thing.id} className="mb-2">
        <ArrivingCard studyId={studyId} thing={thing} onChoose={onChoose} />
      </div>
    ));
}

interface Card {
  studyId: string;
  thing: ArrivingFile;
  onChoose(): void;
}

function ArrivingCard(card: Card) {
  const now = useNow(5000);
  const { state, touchedAt } = card.thing;
  if (state === "refused") {
    return <Refused {...card} />;
  }
  if (state === "coming" && now - Date.parse(touchedAt) > SILENT_MS) {
    return <Stopped {...card} />;
  }
  return <Coming {...card} />;
}

const shareOf = ({ size, length }: ArrivingFile): number => size / Math.max(1, length);
const said = (thing: ArrivingFile): string =>
  `${number(shareOf(thing) * 100)} % of ${bytes(thing.length)}`;

function Coming({ thing }: Card) {
  const isSettling = thing.state === "settling";
  return (
    <section aria-label={`${thing.name} is on its way`}>
      <div className="flex justify-between gap-2">
        <span className="truncate">{thing.name}</span>
        <span className="shrink-0 text-label text-soft">
          {isSettling ? "being looked at" : `${said(thing)}, from another page`}
        </span>
      </div>
      <Bar share={shareOf(thing)} label={`Sending ${thing.name}`} />
    </section>
  );
}

/** What can be done with a file that is not taken in. */
function useActs({ studyId, thing }: Card) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (what: "again" | "forget") =>
      call(uploadRoutes[what], { params: { id: studyId, arrivingId: thing.id } }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
    onSettled: () => lookAgain(queryClient, studyId),
  });
}

/** Bytes are missing, and nobody sends them. */
function Stopped(card: Card) {
  const { thing, onChoose } = card;
  const acts = useActs(card);
  return (
    <section
      aria-label={`The sending of ${thing.name} stopped`}
      className="rounded-card border border-line bg-white p-3"
    >
      <h3 className="[overflow-wrap:anywhere]">The sending of {thing.name} stopped</h3>
      <p className="mb-2 text-soft">
        {said(thing)} arrived. Add the same {thing.folder ? "folder" : "file"} again, here or
        elsewhere: it goes on where it stopped.
      </p>
      <div className="flex justify-end gap-2">
        <Button disabled={acts.isPending} onClick={() => acts.mutate("forget")}>
          Leave it out
        </Button>
        {!thing.folder && (
          <Button tone="act" onClick={onChoose}>
            Pick the file
          </Button>
        )}
      </div>
    </section>
  );
}

const CALM = "border-line bg-white";
const WRONG = "border-[#d9a29d] bg-[#f8e7e5] text-[#7c241d]";

/** All bytes are there, and cannot be used as they are. */
function Refused(card: Card) {
  const { thing } = card;
  const acts = useActs(card);
  const { code, message, hint } = thing.refused!;
  return (
    <section
      aria-label={`${thing.name} was not taken in`}
      className={`rounded-card border p-3 ${code === "alreadyThere" ? CALM : WRONG}`}
    >
      <h3>Not taken in</h3>
      <p className="mb-2 [overflow-wrap:anywhere]">
        {message}
        {/[.?!]$/.test(message) ? "" : "."} {hint}
      </p>
      <div className="flex justify-end gap-2">
        <Button disabled={acts.isPending} onClick={() => acts.mutate("forget")}>
          Leave it out
        </Button>
        <Button disabled={acts.isPending} onClick={() => acts.mutate("again")}>
          Try again
        </Button>
      </div>
    </section>
  );
}
