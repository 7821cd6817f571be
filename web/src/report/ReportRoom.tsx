import type { ReactNode } from "react";
import { Workspace } from "../frame/Workspace";

interface Props {
  /** What is handed over, and the rooms. */
  head: ReactNode;
  strip: ReactNode;
  desk: ReactNode;
  footer?: ReactNode;
  children: ReactNode;
}

/** A room of Report: its head and what is in it on paper, its desk beside it. */
export const ReportRoom = ({ head, strip, desk, footer, children }: Props) => (
  <Workspace
    label="Report"
    strip={strip}
    desk={desk}
    {...(footer ? { footer } : {})}
    picture={
      <div className="flex h-full flex-col gap-3.5 overflow-auto bg-bone p-5 text-ink">
        {head}
        {children}
      </div>
    }
  />
);
