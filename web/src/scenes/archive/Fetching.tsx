import { runRoutes } from "@hindglance/contract/runs";
import { call } from "../../api/call";
import type { Run } from "../../api/types";
import { Section } from "../../frame/Section";
import { Bar } from "../../ui/Bar";
import { Button } from "../../ui/Button";

/** What is on its way from the archive, each with how far it is. */
export const Fetching = ({ runs }: { runs: Run[] }) =>
  runs.map(({ id, title, progress }) => (
    <Section key={id}>
      <div className="flex justify-between gap-2">
        <span className="truncate">{title}</span>
        <span className="flex items-center gap-2 text-label text-soft">
          {Math.round(progress * 100)} %
          <Button
            className="h-6 px-2"
            onClick={() => void call(runRoutes.cancel, { params: { id } })}
          >
            Cancel
          </Button>
        </span>
      </div>
      <Bar share={progress} label={title} />
    </Section>
  ));
