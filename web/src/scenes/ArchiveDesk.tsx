import { POLARISATIONS, archiveRoutes } from "@hindglance/contract/archive";
import { runRoutes } from "@hindglance/contract/runs";
import { call } from "../api/call";
import { useEffect, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { ArrowLeft, Check } from "lucide-react";
import { sayError } from "../api/client";
import type { Study } from "../api/types";
import { Section } from "../frame/Frame";
import { bytes, dayYear, number, time } from "../lib/format";
import {
  Bar,
  Button,
  Choice,
  Labelled,
  Pick,
  Problem,
  Warning,
  cx,
  inputStyle,
} from "../ui/controls";
import {
  type ArchiveQuery,
  type Found,
  totalBytes,
  useArchive,
  useFetchItems,
  useFetching,
} from "./archive";

const ANY = { value: "any", name: "Any" } as const;

/**
 * Searching the archive and fetching from it. What was found is also drawn on the map by the page.
 */
export function ArchiveDesk({
  study,
  found,
  onFound,
  pointed,
  onPoint,
  onClose,
}: {
  study: Study;
  found: Found[];
  onFound(founds: Found[]): void;
  pointed: string | null;
  onPoint(id: string | null): void;
  onClose(): void;
}) {
  const archive = useArchive();
  const state = archive.data;
  const [query, setQ] = useState<ArchiveQuery>({
    kind: "radar",
    from: null,
    to: null,
    pass: null,
    polarisation: null,
    anywhere: false,
    next: null,
  });
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const fetching = useFetching(study.id);
  const fetchItems = useFetchItems(study.id);
  const search = useMutation({
    mutationFn: (x: ArchiveQuery) =>
      call(archiveRoutes.search, { params: { id: study.id }, body: x }),
    onSuccess: (answer, x) => {
      onFound(x.next ? [...found, ...answer.items] : answer.items);
      if (!x.next) {
        setChosen(new Set());
      }
    },
  });
  const { mutate } = search;
  const ready = !!state?.set && !state.problem;
  useEffect(() => {
    if (ready) {
      mutate({
        kind: "radar",
        from: null,
        to: null,
        pass: null,
        polarisation: null,
        anywhere: false,
        next: null,
      });
    }
  }, [ready, mutate]);
  const items = found.filter((eachFound) => eachFound.kind === query.kind);
  const picked =
    query.kind === "elevation"
      ? items.filter((item) => !item.have)
      : items.filter((item) => chosen.has(item.id));
  const toggle = (id: string) =>
    setChosen((s) => {
      const n = new Set(s);
      if (!n.delete(id)) {
        n.add(id);
      }
      return n;
    });
  const run = (change: Partial<ArchiveQuery>) => {
    const n = { ...query, ...change, next: null };
    setQ(n);
    mutate(n);
  };
  return (
    <>
      <Section
        title={state?.title ?? "Archive"}
        right={
          <Button tone="quiet" className="h-6 px-2" onClick={onClose}>
            <ArrowLeft size={13} aria-hidden />
            Scenes
          </Button>
        }
      >
        {archive.isPending ? (
          <p className="text-soft">Asking the archive …</p>
        ) : archive.error ? (
          <Problem>{sayError(archive.error)}</Problem>
        ) : !state!.set ? (
          <p className="text-soft">
            No archive is set for this server. Whoever runs it can name one with ARCHIVE_URL; files
            can be added from this computer all the same.
          </p>
        ) : state!.problem ? (
          <Problem>
            {state!.problem}{" "}
            <button
              type="button"
              className="font-semibold underline"
              onClick={() => void archive.refetch()}
            >
              Ask again
            </button>
          </Problem>
        ) : (
          <form
            onSubmit={(e) => {
              e.preventDefault();
              run({});
            }}
          >
            <div className="mb-3">
              <Choice
                label="What to search for"
                value={query.kind}
                onChange={(kind) => run({ kind })}
                options={[
                  { value: "radar", name: "Radar products" },
                  { value: "elevation", name: "Elevation" },
                ]}
              />
            </div>
            {query.kind === "radar" && (
              <>
                <div className="grid grid-cols-2 gap-2">
                  {(["from", "to"] as const).map((k) => (
                    <Labelled key={k} label={k === "from" ? "From" : "To"}>
                      {(id) => (
                        <input
                          id={id}
                          type="date"
                          className={inputStyle}
                          value={query[k] ?? ""}
                          onChange={(e) => setQ({ ...query, [k]: e.target.value || null })}
                        />
                      )}
                    </Labelled>
                  ))}
                </div>
                <div className="grid grid-cols-2 gap-2">
                  <Labelled label="Pass">
                    {(id) => (
                      <Pick
                        id={id}
                        label="Pass"
                        value={query.pass ?? "any"}
                        onChange={(value) => run({ pass: value === "any" ? null : value })}
                        options={[
                          ANY,
                          { value: "ascending", name: "ascending" },
                          { value: "descending", name: "descending" },
                        ]}
                      />
                    )}
                  </Labelled>
                  <Labelled label="Polarisation">
                    {(id) => (
                      <Pick
                        id={id}
                        label="Polarisation"
                        value={query.polarisation ?? "any"}
                        onChange={(value) =>
                          run({ polarisation: POLARISATIONS.find((one) => one === value) ?? null })
                        }
                        options={[
                          ANY,
                          ...POLARISATIONS.map((value) => ({
                            value,
                            name: value,
                          })),
                        ]}
                      />
                    )}
                  </Labelled>
                </div>
              </>
            )}
            <div className="flex items-center justify-between gap-2">
              <label className="flex items-center gap-2 text-soft">
                <input
                  type="checkbox"
                  checked={query.anywhere}
                  disabled={query.kind === "elevation"}
                  onChange={(e) => run({ anywhere: e.target.checked })}
                />
                Anywhere
              </label>
              <Button type="submit" disabled={search.isPending}>
                {search.isPending ? "Searching …" : "Search"}
              </Button>
            </div>
          </form>
        )}
      </Section>
      {ready && (search.data || search.error) && (
        <Section
          title={
            search.error
              ? "Results"
              : `${items.length}${search.data?.next ? " of more" : ""} ${items.length === 1 ? "result" : "results"}${search.data?.within ? `, ${search.data.within === "study area" ? "on the study area" : "where the scenes lie"}` : ""}`
          }
        >
          {search.error && <Problem>{sayError(search.error)}</Problem>}
          {!search.error && items.length === 0 && (
            <p className="text-soft">Nothing fits. Widen the dates, or search anywhere.</p>
          )}
          {search.data && search.data.leftOut > 0 && (
            <div className="mb-2">
              <Warning>
                {number(search.data.leftOut)} {search.data.leftOut === 1 ? "answer" : "answers"} of
                the archive did not fit the question, or could not be read, and{" "}
                {search.data.leftOut === 1 ? "is" : "are"} not shown.
              </Warning>
            </div>
          )}
          <ul className="-mx-1">
            {items.map((item) => (
              <li
                key={item.id}
                onMouseEnter={() => onPoint(item.id)}
                onMouseLeave={() => onPoint(null)}
                onFocus={() => onPoint(item.id)}
                onBlur={() => onPoint(null)}
              >
                <label
                  className={cx(
                    "flex items-center gap-2.5 rounded-field px-1 py-1.5",
                    item.have || item.kind === "elevation" ? "" : "cursor-pointer",
                    pointed === item.id && "bg-bone",
                  )}
                >
                  {item.picture ? (
                    <img
                      alt=""
                      loading="lazy"
                      src={`/api/archive/pictures/${encodeURIComponent(item.collection)}/${encodeURIComponent(item.id)}`}
                      className="h-11 w-[52px] shrink-0 rounded-[4px] bg-night object-cover"
                    />
                  ) : (
                    <span
                      aria-hidden
                      className="h-11 w-[52px] shrink-0 rounded-[4px] bg-[#e2ddd0]"
                    />
                  )}
                  <span className="min-w-0 flex-1">
                    <span className="block truncate font-medium" title={item.id}>
                      {item.title}
                    </span>
                    <span className="block truncate text-label text-soft">
                      {item.kind === "radar" ? `${dayYear(item.from)}, ${time(item.from)}` : ""}
                    </span>
                    <span className="block text-label text-soft">
                      {[
                        item.pass,
                        item.polarisations.join(" "),
                        item.mode,
                        item.bytes ? bytes(item.bytes) : null,
                      ]
                        .filter(Boolean)
                        .join(" · ")}
                    </span>
                  </span>
                  {item.have ? (
                    <span className="flex shrink-0 items-center gap-1 text-label text-spruce">
                      <Check size={13} aria-hidden />
                      in the study
                    </span>
                  ) : (
                    item.kind === "radar" && (
                      <input
                        type="checkbox"
                        aria-label={`Fetch ${item.title}`}
                        checked={chosen.has(item.id)}
                        onChange={() => toggle(item.id)}
                      />
                    )
                  )}
                </label>
              </li>
            ))}
          </ul>
          {search.data?.next && (
            <Button
              tone="quiet"
              className="mt-1"
              disabled={search.isPending}
              onClick={() => mutate({ ...query, next: search.data.next })}
            >
              Show more
            </Button>
          )}
        </Section>
      )}
      {fetching.map((r) => (
        <Section key={r.id}>
          <div className="flex justify-between gap-2">
            <span className="truncate">{r.title}</span>
            <span className="flex items-center gap-2 text-label text-soft">
              {Math.round(r.progress * 100)} %
              <Button
                className="h-6 px-2"
                onClick={() => void call(runRoutes.cancel, { params: { id: r.id } })}
              >
                Cancel
              </Button>
            </span>
          </div>
          <Bar share={r.progress} label={r.title} />
        </Section>
      ))}
      {ready && (
        <div className="sticky bottom-0 border-t border-line bg-paper px-4 py-3">
          <Button
            tone="act"
            className="w-full"
            disabled={picked.length === 0 || fetchItems.isPending || fetching.length > 0}
            onClick={() =>
              fetchItems.mutate(
                { kind: query.kind, items: picked },
                { onSuccess: () => setChosen(new Set()) },
              )
            }
          >
            {picked.length === 0
              ? query.kind === "radar"
                ? "Tick what to fetch"
                : "No elevation to fetch"
              : query.kind === "elevation"
                ? `Fetch elevation for this study, ${picked.length} ${picked.length === 1 ? "tile" : "tiles"}, ${bytes(totalBytes(picked))}`
                : `Fetch ${picked.length} ${picked.length === 1 ? "product" : "products"}, ${bytes(totalBytes(picked))}`}
          </Button>
        </div>
      )}
    </>
  );
}
