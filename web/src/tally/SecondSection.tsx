import { classesFrom } from "@hindglance/core/change/classSource";
import { confirmsSaid } from "@hindglance/core/change/sentences";
import type { ChangeMap } from "../api/types";
import { SecondShares } from "../compare/second/SecondShares";
import { Section } from "../frame/Section";

/** What a second sensor says of a map's classes; nothing where none was asked. */
export function SecondSection({ map }: { map: ChangeMap }) {
  const confirms = map.confirmed?.confirms ?? map.setup.second?.confirms;
  if (!confirms) {
    return null;
  }
  const by = confirmsSaid(map);
  return (
    <Section title="Second sensor">
      {by && <p className="mb-2 text-soft">{by}.</p>}
      <SecondShares
        tally={map.confirmed?.tally ?? null}
        confirms={confirms}
        classes={classesFrom(map.setup)}
      />
    </Section>
  );
}
