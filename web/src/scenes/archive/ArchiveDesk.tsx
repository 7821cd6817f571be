import { ArrowLeft } from "lucide-react";
import { sayError } from "../../api/client";
import { Section } from "../../frame/Section";
import { Button } from "../../ui/Button";
import { Problem } from "../../ui/Messages";
import { useFetching } from "./archive";
import { Fetching } from "./Fetching";
import { Results } from "./Results";
import { SearchForm } from "./SearchForm";
import { Standing } from "./Standing";
import type { ArchiveSearch } from "./useArchiveSearch";

/**
 * Searching the archive and fetching from it. What was found is also drawn on the map by the page.
 */
export function ArchiveDesk({ studyId, search }: { studyId: string; search: ArchiveSearch }) {
  const fetching = useFetching(studyId);
  const { archive, ready, asked } = search;
  return (
    <>
      <Section
        title={archive.data?.title ?? "Archive"}
        right={
          <Button tone="quiet" className="h-6 px-2" onClick={search.end}>
            <ArrowLeft size={13} aria-hidden />
            Scenes
          </Button>
        }
      >
        {ready ? <SearchForm search={search} /> : <NotReady archive={archive} />}
      </Section>
      {ready && <Standing studyId={studyId} search={search} />}
      {ready ? (
        <Results key={JSON.stringify(asked)} studyId={studyId} search={search} />
      ) : (
        <Fetching runs={fetching} />
      )}
    </>
  );
}

/** Why there is nothing to search. */
function NotReady({ archive }: Pick<ArchiveSearch, "archive">) {
  if (archive.isPending) {
    return <p className="text-soft">Asking the archive …</p>;
  }
  if (archive.error) {
    return <Problem>{sayError(archive.error)}</Problem>;
  }
  if (!archive.data.set) {
    return (
      <p className="text-soft">
        No archive is set for this server. Whoever runs it can name one with ARCHIVE_URL; files can
        be added from this computer all the same.
      </p>
    );
  }
  return (
    <Problem>
      {archive.data.problem}{" "}
      <button
        type="button"
        className="font-semibold underline"
        onClick={() => void archive.refetch()}
      >
        Ask again
      </button>
    </Problem>
  );
}
