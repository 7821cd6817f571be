import { crsRoutes } from "@hindglance/contract/crs";
import { call } from "../api/call";
import { useState } from "react";
import { type Crs, LONLAT } from "@hindglance/core/geodesy/crs";
import { sayError } from "../api/client";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Problem } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import { Pop } from "../ui/Pop";

interface Props {
  crs: Crs;
  proposed: Crs;
  /** A place that the grid is for, in degrees. */
  near: readonly [lon: number, lat: number];
  onPick(crs: Crs): void;
}

/** The coordinate system of the study grid: the fitting zone, degrees, or any by its code. */
export function GridSystem({ crs, proposed, near, onPick }: Props) {
  const [open, setOpen] = useState(false);
  const all = [
    proposed,
    LONLAT,
    ...(crs.code !== proposed.code && crs.code !== LONLAT.code ? [crs] : []),
  ];
  return (
    <div className="mb-2 flex min-h-8 items-center justify-between gap-3">
      <span className="shrink-0">System</span>
      <span className="flex min-w-0 items-center gap-1">
        <Pick
          label="Coordinate system"
          className="w-[176px]"
          value={crs.code}
          onChange={(value) => onPick(all.find((x) => x.code === value)!)}
          options={all.map((x) => ({ value: x.code, name: x.name ?? x.code }))}
        />
        <Pop
          label="Another coordinate system"
          open={open}
          onOpenChange={setOpen}
          trigger={
            <Button tone="quiet" className="h-7 px-1.5" aria-label="Another coordinate system">
              …
            </Button>
          }
        >
          <ByCode
            near={near}
            onPick={(found) => {
              onPick(found);
              setOpen(false);
            }}
          />
        </Pop>
      </span>
    </div>
  );
}

/** Finds a coordinate system by its code. */
function ByCode({ near: [lon, lat], onPick }: Omit<Props, "crs" | "proposed">) {
  const [code, setCode] = useState("");
  const [problem, setProblem] = useState<string | null>(null);
  const find = async () => {
    setProblem(null);
    try {
      const params = { code: code.trim().replace(/^EPSG:/i, "") };
      onPick(await call(crsRoutes.find, { params, query: { lon, lat } }));
    } catch (error) {
      setProblem(sayError(error));
    }
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void find();
      }}
    >
      <Labelled label="EPSG code" hint="Such as 32727">
        {(id) => (
          <input
            id={id}
            className={inputStyle}
            inputMode="numeric"
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        )}
      </Labelled>
      {problem && (
        <div className="mb-2">
          <Problem>{problem}</Problem>
        </div>
      )}
      <div className="flex justify-end">
        <Button type="submit" tone="act" disabled={!code.trim()}>
          Take it
        </Button>
      </div>
    </form>
  );
}
