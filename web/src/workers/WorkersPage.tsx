import { type Process, processRoutes } from "@hindglance/contract/processes";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { bytes, duration } from "../lib/format";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { cx } from "../ui/cx";
import { Problem } from "../ui/Messages";

/** How often the list is asked for, milliseconds. */
const ASK_MS = 2000;
const KEY = ["processes"];
/** Seconds of silence that are worth a word. */
const SILENT_S = 6;

function useProcesses() {
  const client = useQueryClient();
  const list = useQuery({
    queryKey: KEY,
    queryFn: () => call(processRoutes.list, {}),
    refetchInterval: ASK_MS,
  });
  const drain = useMutation({
    mutationFn: ({ id, isDraining }: Process) =>
      call(processRoutes.drain, { params: { id }, body: { isDraining: !isDraining } }),
    onSuccess: () => client.invalidateQueries({ queryKey: KEY }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return { list, drain };
}

/** How a process stands, in a word. */
function standing({ kind, isThere, isDraining, work }: Process): { word: string; tone: string } {
  if (!isThere) {
    return { word: "Gone", tone: "bg-[#f8e7e5] text-[#7c241d]" };
  }
  if (isDraining) {
    const word = work ? "Draining: ends what it does" : "Drained: may be stopped";
    return { word, tone: "bg-[#fbf1dc] text-[#7a5205]" };
  }
  if (kind === "worker" && !work) {
    return { word: "Waiting", tone: "bg-bone text-soft" };
  }
  return {
    word: kind === "server" ? "Serving" : "Working",
    tone: "bg-[#e2ece7] text-spruce",
  };
}

const heard = ({ silentSeconds }: Process): string =>
  silentSeconds < SILENT_S ? "just now" : `${duration(silentSeconds)} ago`;

interface RowProps {
  process: Process;
  onDrain(): void;
}

/** A server or a worker: where it runs, what it does, how much memory it takes. */
function ProcessRow({ process, onDrain }: RowProps) {
  const { kind, host, pid, program, isSameProgram, isThere, memoryBytes, isDraining, work } =
    process;
  const { word, tone } = standing(process);
  return (
    <tr className="border-t border-line align-top">
      <th scope="row" className="px-3 py-2 text-left font-medium">
        {host}
        <span className="block text-label font-normal text-soft">
          {kind === "server" ? "server" : "worker"}, process {pid}
        </span>
        {!isSameProgram && (
          <span className="block text-label font-normal text-wrong">
            another version: {program}
          </span>
        )}
      </th>
      <td className="px-3 py-2">
        <span
          className={cx("whitespace-nowrap rounded-full px-2 py-0.5 text-label font-medium", tone)}
        >
          {word}
        </span>
      </td>
      <td className="px-3 py-2">
        {work && (
          <>
            {work.title}
            <span className="block text-label text-soft">
              {[work.study, work.doing].filter(Boolean).join(" · ")}
            </span>
          </>
        )}
      </td>
      <td className="whitespace-nowrap px-3 py-2 text-right font-mono">{bytes(memoryBytes)}</td>
      <td className="whitespace-nowrap px-3 py-2 text-soft">{heard(process)}</td>
      <td className="px-3 py-1.5 text-right">
        {kind === "worker" && isThere && (
          <Button
            className="h-7 px-2"
            aria-label={`${isDraining ? "Let it work again" : "Drain"}: process ${pid} on ${host}`}
            onClick={onDrain}
          >
            {isDraining ? "Let it work again" : "Drain"}
          </Button>
        )}
      </td>
    </tr>
  );
}

/** What the whole comes to, in a sentence. */
function summary(all: readonly Process[]): string {
  const there = all.filter(({ isThere, kind }) => isThere && kind === "worker");
  const taking = there.filter(({ isDraining }) => !isDraining);
  if (taking.length === 0) {
    return "No worker takes work: what is begun waits until one does.";
  }
  const hosts = new Set(there.map(({ host }) => host)).size;
  const busy = there.filter(({ work }) => work).length;
  const many = (count: number, what: string) => `${count} ${what}${count === 1 ? "" : "s"}`;
  return `${many(taking.length, "worker")} on ${many(hosts, "host")}; ${busy} at work.`;
}

const HEADS = ["Where", "State", "At work on", "Memory", "Heard", ""];

/** Servers and workers that share the database, on whatever hosts they run. */
export function WorkersPage() {
  const { list, drain } = useProcesses();
  return (
    <main className="min-h-0 flex-1 overflow-auto">
      <div className="mx-auto w-[1000px] py-10">
        <h1 className="text-figure font-bold">Workers</h1>
        <p className="mb-5 text-soft" aria-live="polite">
          {list.data ? summary(list.data) : "Asking …"}
        </p>
        {list.error && <Problem>{sayError(list.error)}</Problem>}
        {list.data && (
          <table className="w-full rounded-card border border-line bg-paper">
            <thead>
              <tr className="text-left text-label text-soft">
                {HEADS.map((head) => (
                  <th
                    key={head}
                    scope="col"
                    className={cx("px-3 py-2 font-normal", head === "Memory" && "text-right")}
                  >
                    {head || <span className="sr-only">Drain</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {list.data.map((process) => (
                <ProcessRow
                  key={process.id}
                  process={process}
                  onDrain={() => drain.mutate(process)}
                />
              ))}
            </tbody>
          </table>
        )}
        <p className="mt-4 text-label text-soft">
          A worker on another host is started with the address of this database, as the README
          tells. A worker that is drained ends what it is at and takes nothing more.
        </p>
      </div>
    </main>
  );
}
