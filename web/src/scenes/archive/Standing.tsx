import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  EVERY_MINUTES,
  MOST_AT_ONCE,
  type StandingSearch,
  watchRoutes,
} from "@hindglance/contract/watch";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { Section } from "../../frame/Section";
import { dayYear, time } from "../../lib/format";
import { Button } from "../../ui/Button";
import { Problem } from "../../ui/Messages";
import { Pick } from "../../ui/Pick";
import { useState } from "react";
import type { ArchiveSearch } from "./useArchiveSearch";

const OFTEN = [
  { value: "15", name: "every 15 minutes" },
  { value: String(EVERY_MINUTES.usual), name: "every hour" },
  { value: "360", name: "every 6 hours" },
  { value: "1440", name: "every day" },
];

/** What of products is asked for, in words. */
const askedText = ({ pass, polarisation }: Pick<StandingSearch, "pass" | "polarisation">): string =>
  [pass ?? "any pass", polarisation ?? "any polarisation"].join(", ");

const lookedText = ({ lookedAt, fetched }: StandingSearch): string => {
  const when = lookedAt ? `looked ${dayYear(lookedAt)} ${time(lookedAt)}` : "not looked yet";
  return fetched === 0 ? when : `${when}, ${fetched} fetched`;
};

/** Searches that look again and again, and fetch what appears over the study area. */
export function Standing({ studyId, search }: { studyId: string; search: ArchiveSearch }) {
  const client = useQueryClient();
  const key = ["watched", studyId];
  const watched = useQuery({
    queryKey: key,
    queryFn: () => call(watchRoutes.find, { params: { id: studyId } }),
    refetchInterval: 10_000,
  }).data;
  const [often, setOften] = useState(String(EVERY_MINUTES.usual));
  const done = { onSuccess: () => void client.invalidateQueries({ queryKey: key }) };
  const { pass, polarisation } = search.question;
  const add = useMutation({
    mutationFn: () =>
      call(watchRoutes.add, {
        params: { id: studyId },
        body: { pass, polarisation, everyMinutes: Number(often), mostAtOnce: MOST_AT_ONCE.usual },
      }),
    ...done,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(watchRoutes.remove, { params: { id } }),
    ...done,
  });
  const error = add.error ?? remove.error;
  const searches = watched?.searches ?? [];
  return (
    <Section>
      <details open={searches.length > 0}>
        <summary className="mb-2 cursor-pointer font-medium">Whenever one appears</summary>
        <p className="mb-2 text-soft">
          Products over the study area that are taken from today on (
          {askedText({ pass, polarisation })}) are fetched by themselves while the server runs. With
          a recipe that runs on every new date a map is made of each.
        </p>
        <div className="mb-2 flex items-center gap-2">
          <Pick
            label="How often is looked"
            className="w-0 flex-1"
            value={often}
            onChange={setOften}
            options={OFTEN}
          />
          <Button disabled={add.isPending} onClick={() => add.mutate()}>
            Look from now on
          </Button>
        </div>
        {error && <Problem>{sayError(error)}</Problem>}
        <ul className="space-y-1.5" aria-label="Standing searches">
          {searches.map((one) => (
            <li key={one.id} className="rounded-card border border-line bg-white px-2.5 py-1.5">
              <div className="flex items-center justify-between gap-2">
                <span>{askedText(one)}</span>
                <Button
                  className="h-6 px-2"
                  aria-label={`End the standing search: ${askedText(one)}`}
                  onClick={() => remove.mutate(one.id)}
                >
                  End
                </Button>
              </div>
              <p className="text-label text-soft">
                Every {one.everyMinutes} minutes · {lookedText(one)}
              </p>
              {one.problem && <p className="text-label text-wrong">{one.problem}</p>}
            </li>
          ))}
        </ul>
      </details>
    </Section>
  );
}
