import type { ReactNode } from "react";
import { Link, useParams } from "react-router";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { Notices } from "../ui/notices";
import { Help } from "./Help";
import { LinesLink } from "./LinesLink";
import { NewsTray } from "./NewsTray";
import { RunsTray } from "./RunsTray";
import { StagePath } from "./StagePath";
import { StudyPicker } from "./StudyPicker";
import { useFrameKeys } from "./useFrameKeys";

/** The mark: before and after overlapping, with one pupil. */
const Mark = () => (
  <svg width={26} height={26} viewBox="0 0 32 32" aria-hidden>
    <circle cx="12.5" cy="16" r="9" fill="none" stroke="#3f6aa8" strokeWidth="2.6" />
    <circle cx="19.5" cy="16" r="9" fill="none" stroke="#b9562b" strokeWidth="2.6" />
    <circle cx="16" cy="16" r="3" fill="#1d2a2b" />
  </svg>
);

/** What is around every page: the mark, the study, the stages, the runs. */
export function Frame({ children }: { children: ReactNode }) {
  const { id } = useParams();
  useFrameKeys();
  return (
    <div className="flex h-full min-w-[1080px] flex-col">
      <header className="grid h-[46px] shrink-0 grid-cols-[1fr_auto_1fr] border-b border-line bg-paper px-3.5">
        <div className="flex min-w-0 items-center gap-3">
          <Link
            to="/"
            className="flex shrink-0 items-center gap-2 whitespace-nowrap text-[15px] font-bold"
          >
            <Mark />
            Hind Glance
          </Link>
          {id && <StudyPicker id={id} />}
        </div>
        {id ? <StagePath id={id} /> : <span />}
        <div className="flex items-center justify-end gap-2">
          {id && <LinesLink study={id} />}
          <NewsTray />
          <RunsTray />
          <Button
            aria-label="Keys"
            onClick={() => useUi.getState().setHelp(true)}
            className="w-8 px-0"
          >
            ?
          </Button>
        </div>
      </header>
      {children}
      <Help />
      <Notices />
    </div>
  );
}
