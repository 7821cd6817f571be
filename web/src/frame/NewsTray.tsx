import { useState } from "react";
import { Link } from "react-router";
import { useQuery } from "@tanstack/react-query";
import { Bell } from "lucide-react";
import { type News, watchRoutes } from "@hindglance/contract/watch";
import { call } from "../api/call";
import { dayYear, time } from "../lib/format";
import { Button } from "../ui/Button";
import { cx } from "../ui/cx";
import { Pop } from "../ui/Pop";
import { useNewsSeen } from "./newsSeen";

/** How often is asked what happened by itself, milliseconds. */
const ASK_MS = 15_000;
/** News that are listed. */
const LISTED = 30;

/** What happened while nobody was looking: nothing shows before anything did. */
export function NewsTray() {
  const news = useQuery({
    queryKey: ["news"],
    queryFn: () => call(watchRoutes.news, {}),
    refetchInterval: ASK_MS,
  }).data;
  const { seen, see } = useNewsSeen();
  const [isOpen, setOpen] = useState(false);
  if (!news?.length) {
    return null;
  }
  const fresh = news.filter(({ id }) => id > seen).length;
  const open = (next: boolean) => {
    setOpen(next);
    // What was on screen is seen once it is put away.
    if (!next) {
      see(news[0]!.id);
    }
  };
  return (
    <Pop
      label="News"
      width={360}
      open={isOpen}
      onOpenChange={open}
      trigger={
        <Button
          tone="quiet"
          className="text-ink"
          aria-label={fresh > 0 ? `News: ${fresh} new` : "News"}
        >
          <Bell size={16} aria-hidden />
          {fresh > 0 && (
            <span className="rounded-full bg-afterink px-1.5 text-[11px] font-semibold text-white">
              {fresh}
            </span>
          )}
        </Button>
      }
    >
      <h2 className="mb-2">News</h2>
      <ul className="max-h-80 space-y-2.5 overflow-auto">
        {news.slice(0, LISTED).map((one) => (
          <NewsRow key={one.id} news={one} isFresh={one.id > seen} leave={() => open(false)} />
        ))}
      </ul>
    </Pop>
  );
}

const TONES: Record<News["tone"], string> = {
  said: "",
  doubt: "text-warnink",
  wrong: "text-wrong",
};

function NewsRow({ news, isFresh, leave }: { news: News; isFresh: boolean; leave(): void }) {
  const { at, studyId, study, tone, text, stage } = news;
  return (
    <li>
      <p className={cx(TONES[tone], isFresh && "font-semibold")}>{text}</p>
      <p className="text-label text-soft">
        {dayYear(at)}, {time(at)}
        {studyId && study && (
          <>
            {" · "}
            <Link
              className="text-spruce underline"
              to={`/studies/${studyId}/${stage ?? "scenes"}`}
              onClick={leave}
            >
              {study}
            </Link>
          </>
        )}
      </p>
    </li>
  );
}
