import { useMemo, useState } from "react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { archiveRoutes } from "@hindglance/contract/archive";
import { call } from "../../api/call";
import { type ArchiveQuery, type Found, useArchive } from "./archive";

/** A question to the archive, without the page of the answer that is asked for. */
export type Question = Omit<ArchiveQuery, "next">;

const FIRST: Question = {
  kind: "radar",
  from: null,
  to: null,
  pass: null,
  polarisation: null,
  anywhere: false,
};

const NONE: Found[] = [];
const FIRST_PAGE: string | null = null;

/** What is searched in the archive while it is: the question, what was found, and what is pointed at. */
export function useArchiveSearch(studyId: string) {
  const [open, setOpen] = useState(false);
  const [question, setQuestion] = useState(FIRST);
  const [asked, setAsked] = useState(FIRST);
  const [pointed, setPointed] = useState<string | null>(null);
  const archive = useArchive(open);
  const ready = !!archive.data?.set && !archive.data.problem;
  const answers = useInfiniteQuery({
    queryKey: ["archiveSearch", studyId, asked],
    queryFn: ({ pageParam }) =>
      call(archiveRoutes.search, { params: { id: studyId }, body: { ...asked, next: pageParam } }),
    initialPageParam: FIRST_PAGE,
    getNextPageParam: (last) => last.next,
    enabled: open && ready,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
  });
  const pages = answers.data?.pages;
  const found = useMemo(() => pages?.flatMap(({ items }) => items) ?? NONE, [pages]);
  return {
    open,
    archive,
    ready,
    question,
    /** Changes the question without asking it. */
    setQuestion: (part: Partial<Question>) => setQuestion({ ...question, ...part }),
    /** Asks the question, with a change; the same one is asked anew. */
    ask: (part: Partial<Question> = {}) => {
      const next = { ...question, ...part };
      setQuestion(next);
      setAsked(next);
      if (JSON.stringify(next) === JSON.stringify(asked)) {
        void answers.refetch();
      }
    },
    asked,
    answers,
    found,
    pointed,
    setPointed,
    begin: () => setOpen(true),
    end: () => {
      setOpen(false);
      setPointed(null);
    },
  };
}

/** The search of the archive on screen. */
export type ArchiveSearch = ReturnType<typeof useArchiveSearch>;
