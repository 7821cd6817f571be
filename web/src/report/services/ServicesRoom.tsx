import { openRoutes } from "@hindglance/contract/open";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Copy } from "lucide-react";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import type { ChangeMap, Study } from "../../api/types";
import { Section } from "../../frame/Section";
import { copyText } from "../../lib/copyText";
import { useUi } from "../../state/ui";
import { Button } from "../../ui/Button";
import { ReportRoom } from "../ReportRoom";

const openKey = (studyId: string) => ["open", studyId] as const;

/** Whether the services of a study are on, and how that is changed. */
function useOpen(studyId: string) {
  const queryClient = useQueryClient();
  const params = { id: studyId };
  const found = useQuery({
    queryKey: openKey(studyId),
    queryFn: () => call(openRoutes.find, { params }),
  });
  const set = useMutation({
    mutationFn: (on: boolean) => call(openRoutes.set, { params, body: { on } }),
    onSuccess: (view) => {
      queryClient.setQueryData(openKey(studyId), view);
      for (const queryKey of [keys.ledger(studyId), keys.runs, keys.maps(studyId)]) {
        void queryClient.invalidateQueries({ queryKey });
      }
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return { view: found.data, set: set.mutate, isBusy: set.isPending };
}

interface Service {
  name: string;
  text: string;
  path: string;
}

/** What is handed out, and where it begins. */
const servicesOf = (maps: readonly ChangeMap[]): Service[] => [
  {
    name: "Features (OGC API)",
    text: "Patches of every map, zones and pins; by box, class, verdict and time, page by page.",
    path: "",
  },
  {
    name: "Catalogue (STAC)",
    text: "Every map and scene with its dates, place and files.",
    path: "/stac",
  },
  ...maps.flatMap(({ id, name }) => [
    {
      name: `${name}, picture tiles`,
      text: "Classes on clear ground, by level, column, row; in place of change also before or after.",
      path: `/pictures/${id}/change/{z}/{x}/{y}.png`,
    },
    {
      name: `${name}, vector tiles`,
      text: "Patches with their class, area and verdict, by level, column, row.",
      path: `/vectors/patches-${id}/{z}/{x}/{y}.pbf`,
    },
  ]),
  ...maps.flatMap(({ name, files }) =>
    files
      .filter(({ format }) => format === "cog")
      .map((file) => ({
        name: `${name}, GeoTIFF`,
        text: "Classes, read by ranges where they lie.",
        path: `/files/${file.id}/${encodeURIComponent(file.name)}`,
      })),
  ),
];

/** A service with its address. */
const ServiceCard = ({ service, address }: { service: Service; address: string }) => (
  <li className="rounded-card border border-line bg-paper px-3 py-2">
    <h2 className="text-[13.5px] leading-5">{service.name}</h2>
    <p className="text-label text-soft">{service.text}</p>
    <div className="mt-1.5 flex items-center gap-2">
      <code className="min-w-0 flex-1 truncate rounded-field bg-bone px-2 py-1 font-mono text-[11px]">
        {address}
      </code>
      <Button
        tone="quiet"
        className="h-7 px-1.5"
        aria-label={`Copy the address of ${service.name}`}
        onClick={() => copyText(address, "The address")}
      >
        <Copy size={14} aria-hidden />
        Copy
      </Button>
    </div>
  </li>
);

interface Props {
  study: Study;
  maps: readonly ChangeMap[];
  head: ReactNode;
  strip: ReactNode;
}

/** Open services: what a map program reads of a study while it is on. */
export function ServicesRoom({ study, maps, head, strip }: Props) {
  const { view, set, isBusy } = useOpen(study.id);
  const base = view?.path ? `${location.origin}${view.path}` : null;
  return (
    <ReportRoom
      {...{ head, strip }}
      desk={
        <Section title="Open services">
          <p className="mb-3 text-soft">
            Read only. Whoever reaches this server can read the results of this study while they are
            on; nothing can be changed by them.
          </p>
          <p className="mb-3 text-soft">
            What the pages themselves ask the server is described at{" "}
            <Link className="text-spruce underline" to="/interface">
              its interface
            </Link>
            .
          </p>
          {view && (
            <Button
              tone={view.on ? "plain" : "act"}
              className="w-full"
              disabled={isBusy}
              onClick={() => set(!view.on)}
            >
              {view.on ? "Switch services off" : "Switch services on"}
            </Button>
          )}
        </Section>
      }
    >
      {view && !view.on && (
        <p className="max-w-[60ch] text-soft">
          Services are off: nobody reads the results of this study but by its pages. Switched on, a
          map program that is open already shows its maps, patches and zones by the addresses that
          stand here then.
        </p>
      )}
      {base && (
        <ul className="space-y-2" aria-label="Services">
          {servicesOf(maps).map((service) => (
            <ServiceCard key={service.path} service={service} address={`${base}${service.path}`} />
          ))}
        </ul>
      )}
    </ReportRoom>
  );
}
