import { useEffect, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { ArrowLeft, Check } from "lucide-react";
import { api, sayError } from "../api/client";
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
  type Answer,
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
  onFound(f: Found[]): void;
  pointed: string | null;
  onPoint(id: string | null): void;
  onClose(): void;
}) {
  const archive = useArchive();
  const a = archive.data;
  const [q, setQ] = useState<ArchiveQuery>({
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
    mutationFn: (x: ArchiveQuery) => api<Answer>("POST", `/studies/${study.id}/archive/search`, x),
    onSuccess: (r, x) => {
      onFound(x.next ? [...found, ...r.items] : r.items);
      if (!x.next) {
        setChosen(new Set());
      }
    },
  });
  const { mutate } = search;
  const ready = !!a?.set && !a.problem;
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
  const items = found.filter((f) => f.kind === q.kind);
  const picked =
    q.kind === "elevation" ? items.filter((f) => !f.have) : items.filter((f) => chosen.has(f.id));
  const toggle = (id: string) =>
    setChosen((s) => {
      const n = new Set(s);
      if (!n.delete(id)) {
        n.add(id);
      }
      return n;
    });
  const run = (change: Partial<ArchiveQuery>) => {
    const n = { ...q, ...change, next: null };
    setQ(n);
    mutate(n);
  };
  return (
    <>
      <Section
        title={a?.title ?? "Archive"}
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
        ) : !a!.set ? (
          <p className="text-soft">
            No archive is set for this server. Whoever runs it can name one with ARCHIVE_URL; files
            can be added from this computer all the same.
          </p>
        ) : a!.problem ? (
          <Problem>
            {a!.problem}{" "}
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
                value={q.kind}
                onChange={(kind) => run({ kind })}
                options={[
                  { value: "radar", name: "Radar products" },
                  { value: "elevation", name: "Elevation" },
                ]}
              />
            </div>
            {q.kind === "radar" && (
              <>
                <div className="grid grid-cols-2 gap-2">
                  {(["from", "to"] as const).map((k) => (
                    <Labelled key={k} label={k === "from" ? "From" : "To"}>
                      {(id) => (
                        <input
                          id={id}
                          type="date"
                          className={inputStyle}
                          value={q[k] ?? ""}
                          onChange={(e) => setQ({ ...q, [k]: e.target.value || null })}
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
                        value={q.pass ?? "any"}
                        onChange={(v) => run({ pass: v === "any" ? null : v })}
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
                        value={q.polarisation ?? "any"}
                        onChange={(v) => run({ polarisation: v === "any" ? null : v })}
                        options={[
                          ANY,
                          ...["VV", "VH", "HH", "HV"].map((v) => ({ value: v, name: v })),
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
                  checked={q.anywhere}
                  disabled={q.kind === "elevation"}
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
            {items.map((f) => (
              <li
                key={f.id}
                onMouseEnter={() => onPoint(f.id)}
                onMouseLeave={() => onPoint(null)}
                onFocus={() => onPoint(f.id)}
                onBlur={() => onPoint(null)}
              >
                <label
                  className={cx(
                    "flex items-center gap-2.5 rounded-field px-1 py-1.5",
                    f.have || f.kind === "elevation" ? "" : "cursor-pointer",
                    pointed === f.id && "bg-bone",
                  )}
                >
                  {f.picture ? (
                    <img
                      alt=""
                      loading="lazy"
                      src={`/api/archive/pictures/${encodeURIComponent(f.collection)}/${encodeURIComponent(f.id)}`}
                      className="h-11 w-[52px] shrink-0 rounded-[4px] bg-night object-cover"
                    />
                  ) : (
                    <span
                      aria-hidden
                      className="h-11 w-[52px] shrink-0 rounded-[4px] bg-[#e2ddd0]"
                    />
                  )}
                  <span className="min-w-0 flex-1">
                    <span className="block truncate font-medium" title={f.id}>
                      {f.title}
                    </span>
                    <span className="block truncate text-label text-soft">
                      {f.kind === "radar" ? `${dayYear(f.from)}, ${time(f.from)}` : ""}
                    </span>
                    <span className="block text-label text-soft">
                      {[f.pass, f.polarisations.join(" "), f.mode, f.bytes ? bytes(f.bytes) : null]
                        .filter(Boolean)
                        .join(" · ")}
                    </span>
                  </span>
                  {f.have ? (
                    <span className="flex shrink-0 items-center gap-1 text-label text-spruce">
                      <Check size={13} aria-hidden />
                      in the study
                    </span>
                  ) : (
                    f.kind === "radar" && (
                      <input
                        type="checkbox"
                        aria-label={`Fetch ${f.title}`}
                        checked={chosen.has(f.id)}
                        onChange={() => toggle(f.id)}
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
              onClick={() => mutate({ ...q, next: search.data.next })}
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
              <Button className="h-6 px-2" onClick={() => void api("POST", `/runs/${r.id}/cancel`)}>
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
                { kind: q.kind, items: picked },
                { onSuccess: () => setChosen(new Set()) },
              )
            }
          >
            {picked.length === 0
              ? q.kind === "radar"
                ? "Tick what to fetch"
                : "No elevation to fetch"
              : q.kind === "elevation"
                ? `Fetch elevation for this study, ${picked.length} ${picked.length === 1 ? "tile" : "tiles"}, ${bytes(totalBytes(picked))}`
                : `Fetch ${picked.length} ${picked.length === 1 ? "product" : "products"}, ${bytes(totalBytes(picked))}`}
          </Button>
        </div>
      )}
    </>
  );
}
