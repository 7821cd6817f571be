import { NavLink } from "react-router";
import { cx } from "../ui/cx";
import { STAGES, useProgress } from "./progress";

/** The way through a study: every stage, and how far it has come. */
export function StagePath({ id }: { id: string }) {
  const progress = useProgress(id);
  return (
    <nav aria-label="Stages" className="flex items-stretch gap-1">
      {STAGES.map(([path, name]) => {
        const { share, needs } = progress[path];
        return (
          <NavLink
            key={path}
            to={`/studies/${id}/${path}`}
            title={needs}
            className={({ isActive }) =>
              cx(
                "relative flex w-[78px] flex-col items-center justify-center gap-1.5 hover:text-ink",
                isActive
                  ? "font-semibold text-ink after:absolute after:inset-x-2 after:bottom-0 after:h-[2px] after:bg-ink"
                  : "text-soft",
              )
            }
          >
            <span>{name}</span>
            <span className="h-[3px] w-9 overflow-hidden rounded bg-line" aria-hidden>
              <span className="block h-full bg-spruce" style={{ width: `${share * 100}%` }} />
            </span>
            <span className="sr-only">{needs}</span>
          </NavLink>
        );
      })}
    </nav>
  );
}
