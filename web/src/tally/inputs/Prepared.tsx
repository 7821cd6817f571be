import { familyOfChain } from "@hindglance/core/chain/family";
import type { ChangeMap } from "../../api/types";
import { chainText } from "@hindglance/core/change/sentences";

type Provenance = ChangeMap["provenance"];
type Side = NonNullable<NonNullable<Provenance["prepared"]>["before"]>;

const sidesOf = ({ prepared }: Provenance): { name: string; side: Side }[] =>
  [
    { name: "before", side: prepared?.before },
    { name: "after", side: prepared?.after },
  ].flatMap(({ name, side }) => (side ? [{ name, side }] : []));

/** Whether either date came out of a chain of Prepare. */
export const isPrepared = (provenance: Provenance): boolean => sidesOf(provenance).length > 0;

/** How both dates were prepared, once where it was alike, and by which orbits. */
export function Prepared({ provenance }: { provenance: Provenance }) {
  const sides = sidesOf(provenance);
  const texts = sides.map(({ side }) => JSON.stringify(side.chain));
  const alike = texts.length === 2 && texts[0] === texts[1];
  return (
    <>
      {sides.slice(0, alike ? 1 : 2).map(({ name, side }) => (
        <div key={name}>
          {!alike && <b className="font-medium">{name}: </b>}
          {chainText(side.chain)}
        </div>
      ))}
      {sides
        .filter(({ side }) => familyOfChain(side.chain) === "radar")
        .map(({ name, side }) => (
          <OrbitLine key={name} name={name} orbit={side.orbit} />
        ))}
    </>
  );
}

const OrbitLine = ({ name, orbit }: { name: string; orbit: Side["orbit"] }) => (
  <div
    className="truncate font-mono text-[11px] text-soft"
    title={orbit ? `${orbit.file}\nSHA-256 ${orbit.sha256}` : undefined}
  >
    {name}: {orbit ? `${orbit.kind} orbit ${orbit.sha256.slice(0, 8)}…` : "own orbit"}
  </div>
);
