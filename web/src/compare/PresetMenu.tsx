import { presetRoutes } from "@hindglance/contract/presets";
import { call } from "../api/call";
import { type ReactNode, useState } from "react";
import { DropdownMenu } from "radix-ui";
import { X } from "lucide-react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import type { ChangeSetup } from "@hindglance/core/change/setup";
import { sayError } from "../api/client";
import type { SavedPreset } from "../api/types";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { Confirm } from "../ui/Confirm";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Sheet } from "../ui/Sheet";
import type { Preset } from "@hindglance/core/change/presets";

const KEY = ["presets"];

/** Presets that were saved, those that suit the comparison, and how one is saved or deleted. */
function usePresets({ setup, comparing, unit }: Compared, onSaved: () => void) {
  const queryClient = useQueryClient();
  const all = useQuery({ queryKey: KEY, queryFn: () => call(presetRoutes.list, {}) }).data ?? [];
  const done = () => void queryClient.invalidateQueries({ queryKey: KEY });
  const wrong = (error: unknown) => useUi.getState().say(sayError(error), "wrong");
  const { measure, formula = null, rules, limits, reweighted, falseAlarmKm2 } = setup;
  const { seasonDays, awayBeyond, awaySide } = setup;
  const own = { reweighted, falseAlarmKm2, seasonDays, awayBeyond, awaySide };
  return {
    saved: all.filter((preset) => preset.comparing === comparing && preset.unit === unit),
    save: useMutation({
      mutationFn: (name: string) =>
        call(presetRoutes.create, {
          body: { name, comparing, unit, measure, formula, own, rules, limits },
        }),
      onSuccess: () => {
        onSaved();
        done();
        useUi.getState().say("The preset is saved for all studies.");
      },
      onError: wrong,
    }),
    remove: useMutation({
      mutationFn: (id: string) => call(presetRoutes.remove, { params: { id } }),
      onSuccess: done,
      onError: wrong,
    }),
  };
}

/** What is compared, and how it is set now. */
interface Compared {
  setup: ChangeSetup;
  comparing: SavedPreset["comparing"];
  unit: string;
}

interface Props extends Compared {
  /** Goes back to what the study began with; null where that is not known yet. */
  onReset: (() => void) | null;
  presets: readonly Preset[];
  onPreset(preset: Preset): void;
  onSaved(preset: SavedPreset): void;
}

/** Settings to begin with: those that come with the program, and those that were saved. */
export function PresetMenu({ onReset, presets, onPreset, onSaved, ...compared }: Props) {
  /** What is typed as the name of a new preset; null while none is saved. */
  const [naming, setNaming] = useState<string | null>(null);
  const [going, setGoing] = useState<SavedPreset | null>(null);
  const [open, setOpen] = useState(false);
  const { saved, save, remove } = usePresets(compared, () => setNaming(null));
  return (
    <>
      <DropdownMenu.Root modal={false} open={open} onOpenChange={setOpen}>
        <DropdownMenu.Trigger asChild>
          <Button tone="quiet" className="h-6 px-1.5">
            Presets
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            sideOffset={4}
            align="end"
            className="z-50 max-h-[70vh] w-80 overflow-auto rounded-card border border-line bg-white py-1 shadow-lg"
          >
            {onReset && (
              <Item
                name="Suggested settings"
                text="As the study began, with thresholds from the pair's own histograms."
                onSelect={onReset}
              />
            )}
            {presets.map((preset) => (
              <Item
                key={preset.id}
                name={preset.name}
                text={preset.help}
                onSelect={() => onPreset(preset)}
              />
            ))}
            <Saved
              saved={saved}
              onSaved={onSaved}
              onDelete={(preset) => {
                setOpen(false);
                setGoing(preset);
              }}
            />
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item onSelect={() => setNaming("")} className={ITEM}>
              <span className="font-medium text-spruce">Save these rules and limits …</span>
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <SavePreset typed={naming} onType={setNaming} save={save.mutate} isSaving={save.isPending} />
      <Confirm
        open={going !== null}
        onOpenChange={(isOpen) => setGoing(isOpen ? going : null)}
        title={`Delete the preset ${going?.name ?? ""}?`}
        text="Comparisons that began with it stay as they are."
        act="Delete preset"
        onAct={() => {
          if (going) {
            remove.mutate(going.id);
          }
          setGoing(null);
        }}
      />
    </>
  );
}

const ITEM =
  "flex cursor-pointer items-start justify-between gap-2 px-3 py-1.5 outline-none data-[highlighted]:bg-bone";

interface ItemProps {
  name: string;
  text: string;
  onSelect(): void;
  children?: ReactNode;
}

const Item = ({ name, text, onSelect, children }: ItemProps) => (
  <DropdownMenu.Item onSelect={onSelect} className={ITEM}>
    <span>
      <span className="font-medium">{name}</span>
      <span className="block text-label text-soft">{text}</span>
    </span>
    {children}
  </DropdownMenu.Item>
);

interface SavedProps {
  saved: SavedPreset[];
  onSaved(preset: SavedPreset): void;
  onDelete(preset: SavedPreset): void;
}

/** Presets that were saved, each with a button that deletes it. */
function Saved({ saved, onSaved, onDelete }: SavedProps) {
  if (saved.length === 0) {
    return null;
  }
  return (
    <>
      <DropdownMenu.Separator className="my-1 h-px bg-line" />
      <DropdownMenu.Label className="px-3 py-1 text-label text-soft">Saved</DropdownMenu.Label>
      {saved.map((preset) => (
        <Item
          key={preset.id}
          name={preset.name}
          text={preset.rules.map(({ name }) => name).join(", ")}
          onSelect={() => onSaved(preset)}
        >
          <button
            type="button"
            aria-label={`Delete preset ${preset.name}`}
            className="mt-0.5 text-soft hover:text-wrong"
            onPointerUp={(event) => event.stopPropagation()}
            onClick={(event) => {
              event.preventDefault();
              event.stopPropagation();
              onDelete(preset);
            }}
          >
            <X size={14} aria-hidden />
          </button>
        </Item>
      ))}
    </>
  );
}

interface SaveProps {
  /** Null while it is closed. */
  typed: string | null;
  onType(text: string | null): void;
  save(name: string): void;
  isSaving: boolean;
}

function SavePreset({ typed, onType, save, isSaving }: SaveProps) {
  const name = typed?.trim();
  return (
    <Sheet
      open={typed !== null}
      onOpenChange={(isOpen) => onType(isOpen ? (typed ?? "") : null)}
      title="Save as a preset"
      describe="Measure, rules and limits are kept for all studies. Dates that a limit looks at belong to this study and are left out."
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (name) {
            save(name);
          }
        }}
      >
        <Labelled label="Name">
          {(id) => (
            <input
              id={id}
              className={inputStyle}
              maxLength={60}
              value={typed ?? ""}
              onChange={(event) => onType(event.target.value)}
            />
          )}
        </Labelled>
        <div className="flex justify-end gap-2">
          <Button onClick={() => onType(null)}>Cancel</Button>
          <Button type="submit" tone="act" disabled={!name || isSaving}>
            Save preset
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
