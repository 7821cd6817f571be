import type { ChangeMap } from "../../api/types";
import { Section } from "../../frame/Section";
import { Bar } from "../../ui/Bar";
import { Button } from "../../ui/Button";
import { useFile } from "../useFile";

/** How a map is made again on an empty server: its account, the files it names, and the command. */
export function MakeAgain({ map }: { map: ChangeMap }) {
  const { file, busy, progress, get } = useFile(map, "account");
  const lack = map.edited
    ? `This map was edited by hand: what can be made again is “${map.edited.from.name}”.`
    : null;
  return (
    <Section title="Make it again">
      <p className="mb-2 text-soft">
        The account of “{map.name}” holds every setting and the checksum of every file. With it and
        those files the same map comes out on an empty server, to the last bit.
      </p>
      {busy ? (
        <Bar share={progress} label="Making the account" />
      ) : (
        <Button disabled={lack !== null} onClick={get}>
          {file ? "Download the account" : "Make the account"}
        </Button>
      )}
      {lack && <p className="mt-1 text-label text-soft">{lack}</p>}
      {file && (
        <pre className="mt-2 whitespace-pre-wrap break-all rounded-field bg-bone p-2 font-mono text-[11px]">
          bin/glance again {file.name} --inputs FOLDER --out FOLDER
        </pre>
      )}
    </Section>
  );
}
