import { presetRoutes } from "@hindglance/contract/presets";
import { call } from "../api/call";
import { useState } from "react";
import { DropdownMenu } from "radix-ui";
import { X } from "lucide-react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import type { ChangeSetup } from "@hindglance/core/change/setup";
import { sayError } from "../api/client";
import type { SavedPreset } from "../api/types";
import { useUi } from "../state/ui";
import { Button, Confirm, Labelled, Sheet, inputStyle } from "../ui/controls";
import type { Comparing } from "@hindglance/core/change/comparing";
import type { Preset } from "@hindglance/core/change/presets";

const KEY = ["presets"] as const;
const item =
  "flex cursor-pointer items-start justify-between gap-2 px-3 py-1.5 outline-none data-[highlighted]:bg-bone";

/** Settings to begin with: those that come with the program, and those that were saved. */
export function PresetMenu({
  onReset,
  presets,
  onPreset,
  setup,
  comparing,
  unit,
  onSaved,
}: {
  onReset: (() => void) | null;
  presets: readonly Preset[];
  onPreset(preset: Preset): void;
  setup: ChangeSetup;
  comparing: Comparing;
  unit: string;
  onSaved(preset: SavedPreset): void;
}) {
  const queryClient = useQueryClient();
  const saved = (
    useQuery({ queryKey: KEY, queryFn: () => call(presetRoutes.list, {}) }).data ?? []
  ).filter((preset) => preset.comparing === comparing && preset.unit === unit);
  const [naming, setNaming] = useState<string | null>(null);
  const [going, setGoing] = useState<SavedPreset | null>(null);
  const [open, setOpen] = useState(false);
  const done = () => void queryClient.invalidateQueries({ queryKey: KEY });
  const wrong = (e: unknown) => useUi.getState().say(sayError(e), "wrong");
  const save = useMutation({
    mutationFn: (name: string) =>
      call(presetRoutes.create, {
        body: {
          name,
          comparing,
          unit,
          measure: setup.measure,
          formula: setup.formula ?? null,
          rules: setup.rules,
          limits: setup.limits,
        },
      }),
    onSuccess: () => {
      setNaming(null);
      done();
      useUi.getState().say("The preset is saved for all studies.");
    },
    onError: wrong,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(presetRoutes.remove, { params: { id } }),
    onSuccess: done,
    onError: wrong,
  });
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
              <DropdownMenu.Item onSelect={onReset} className={item}>
                <span>
                  <span className="font-medium">Suggested settings</span>
                  <span className="block text-label text-soft">
                    As the study began, with thresholds from the pair's own histograms.
                  </span>
                </span>
              </DropdownMenu.Item>
            )}
            {presets.map((preset) => (
              <DropdownMenu.Item key={preset.id} onSelect={() => onPreset(preset)} className={item}>
                <span>
                  <span className="font-medium">{preset.name}</span>
                  <span className="block text-label text-soft">{preset.help}</span>
                </span>
              </DropdownMenu.Item>
            ))}
            {saved.length > 0 && (
              <>
                <DropdownMenu.Separator className="my-1 h-px bg-line" />
                <DropdownMenu.Label className="px-3 py-1 text-label text-soft">
                  Saved
                </DropdownMenu.Label>
              </>
            )}
            {saved.map((preset) => (
              <DropdownMenu.Item key={preset.id} onSelect={() => onSaved(preset)} className={item}>
                <span>
                  <span className="font-medium">{preset.name}</span>
                  <span className="block text-label text-soft">
                    {preset.rules.map((rule) => rule.name).join(", ")}
                  </span>
                </span>
                <button
                  type="button"
                  aria-label={`Delete preset ${preset.name}`}
                  className="mt-0.5 text-soft hover:text-wrong"
                  onPointerUp={(e) => e.stopPropagation()}
                  onClick={(e) => {
                    e.preventDefault();
                    e.stopPropagation();
                    setOpen(false);
                    setGoing(preset);
                  }}
                >
                  <X size={14} aria-hidden />
                </button>
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item onSelect={() => setNaming("")} className={item}>
              <span className="font-medium text-spruce">Save these rules and limits …</span>
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Sheet
        open={naming !== null}
        onOpenChange={(isOpen) => {
          if (!isOpen) {
            setNaming(null);
          }
        }}
        title="Save as a preset"
        describe="Measure, rules and limits are kept for all studies. Dates that a limit looks at belong to this study and are left out."
      >
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (naming?.trim()) {
              save.mutate(naming.trim());
            }
          }}
        >
          <Labelled label="Name">
            {(id) => (
              <input
                id={id}
                className={inputStyle}
                maxLength={60}
                value={naming ?? ""}
                onChange={(e) => setNaming(e.target.value)}
              />
            )}
          </Labelled>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setNaming(null)}>Cancel</Button>
            <Button type="submit" tone="act" disabled={!naming?.trim() || save.isPending}>
              Save preset
            </Button>
          </div>
        </form>
      </Sheet>
      <Confirm
        open={going !== null}
        onOpenChange={(isOpen) => {
          if (!isOpen) {
            setGoing(null);
          }
        }}
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
