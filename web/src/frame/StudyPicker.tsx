import { useNavigate } from "react-router";
import { DropdownMenu } from "radix-ui";
import { ChevronDown } from "lucide-react";
import { useStudies, useStudy } from "../api/hooks";
import { cx } from "../ui/cx";

const monthOf = (iso: string): string =>
  new Date(iso).toLocaleDateString("en-GB", { month: "long", year: "numeric", timeZone: "UTC" });

/** The study that is open; others are chosen from the list. */
export function StudyPicker({ id }: { id: string }) {
  const studies = useStudies().data ?? [];
  const study = useStudy(id).data;
  const go = useNavigate();
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="flex h-8 min-w-0 max-w-[260px] items-center gap-2 rounded-field border border-line bg-white px-2.5 hover:border-[#b9b2a0]">
        <span className="truncate font-semibold">{study?.name ?? "Study"}</span>
        {study?.eventAt && (
          <span className="whitespace-nowrap text-label text-soft">{monthOf(study.eventAt)}</span>
        )}
        <ChevronDown size={14} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          sideOffset={4}
          align="start"
          className="z-50 min-w-56 rounded-card border border-line bg-white py-1 shadow-lg"
        >
          {studies.map((other) => (
            <DropdownMenu.Item
              key={other.id}
              onSelect={() => void go(`/studies/${other.id}/scenes`)}
              className={cx(
                "cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-bone",
                other.id === id && "font-semibold",
              )}
            >
              {other.name}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item
            onSelect={() => void go("/")}
            className="cursor-pointer px-3 py-1.5 text-spruce outline-none data-[highlighted]:bg-bone"
          >
            All studies
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
