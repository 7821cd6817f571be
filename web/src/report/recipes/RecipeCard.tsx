import { differencesOf } from "@hindglance/core/recipe/differences";
import { Download, Save, Trash2 } from "lucide-react";
import { useState } from "react";
import { saveText } from "../../lib/save";
import { Button } from "../../ui/Button";
import { FileButton } from "../../ui/FileButton";
import { Labelled, inputStyle } from "../../ui/Labelled";
import { Pick } from "../../ui/Pick";
import { Pop } from "../../ui/Pop";
import { differenceSaid, recipeLines } from "./recipeWords";
import { type Offered, useKeeping } from "./useRecipes";

/** Saves a recipe under a name; one that is taken gets its next version. */
function SaveAs({ offered, onSave }: { offered: Offered; onSave(name: string): void }) {
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(offered.recipe.name);
  return (
    <Pop
      label="Save this recipe"
      open={open}
      onOpenChange={setOpen}
      trigger={
        <Button>
          <Save size={14} aria-hidden />
          Save as …
        </Button>
      }
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          onSave(name.trim());
          setOpen(false);
        }}
      >
        <Labelled label="Name" hint="A name that is taken gets its next version.">
          {(id) => (
            <input
              id={id}
              className={inputStyle}
              maxLength={80}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Labelled>
        <div className="flex justify-end">
          <Button type="submit" tone="act" disabled={name.trim() === ""}>
            Save
          </Button>
        </div>
      </form>
    </Pop>
  );
}

/** What differs between the picked recipe and another one. */
function Differences({ offered, all }: { offered: Offered; all: readonly Offered[] }) {
  const [key, setKey] = useState("");
  const other = all.find((one) => one.key === key && one.key !== offered.key);
  const found = other ? differencesOf(other.recipe, offered.recipe) : [];
  return (
    <div className="border-t border-line pt-2">
      <div className="flex items-center gap-2">
        <span className="shrink-0 text-soft">Compared with</span>
        <Pick
          label="Compared with"
          className="w-full"
          value={other ? key : ""}
          placeholder="no other recipe"
          onChange={setKey}
          options={all
            .filter((one) => one.key !== offered.key)
            .map(({ key: value, name, note }) => ({ value, name, note }))}
        />
      </div>
      {other && (
        <table className="mt-2 w-full text-label">
          <caption className="sr-only">
            What differs: {other.name} → {offered.name}
          </caption>
          <tbody>
            {found.map((difference) => {
              const [where, what] = differenceSaid(difference);
              return (
                <tr key={where} className="border-t border-line first:border-t-0">
                  <th scope="row" className="py-0.5 pr-3 text-left font-normal text-soft">
                    {where}
                  </th>
                  <td className="py-0.5 font-mono">{what}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {other && found.length === 0 && <p className="mt-2 text-soft">They are alike.</p>}
    </div>
  );
}

interface Props {
  offered: Offered;
  all: readonly Offered[];
  pick(key: string): void;
}

/** The picked recipe in words, with what can be done with it. */
export function RecipeCard({ offered, all, pick }: Props) {
  const { save, remove, read } = useKeeping();
  const { recipe, keptId } = offered;
  return (
    <section
      aria-label="Recipe"
      className="space-y-2 rounded-card border border-line bg-paper px-3 py-2.5"
    >
      <Pick
        label="Recipe"
        className="w-full"
        value={offered.key}
        onChange={pick}
        options={all.map(({ key: value, name, note }) => ({ value, name, note }))}
      />
      <div className="flex flex-wrap gap-1.5">
        <SaveAs key={offered.key} offered={offered} onSave={(name) => save({ ...recipe, name })} />
        <Button
          onClick={() =>
            saveText(
              `${recipe.name.replace(/\W+/g, "_")}.recipe.json`,
              `${JSON.stringify(recipe, null, 2)}\n`,
              "application/json",
            )
          }
        >
          <Download size={14} aria-hidden />
          JSON
        </Button>
        <FileButton label="Recipe file" accept=".json" onFile={(file) => void read(file)}>
          Read a file …
        </FileButton>
        {keptId && (
          <Button
            aria-label={`Delete ${offered.name}, ${offered.note}`}
            onClick={() => remove(keptId)}
          >
            <Trash2 size={14} aria-hidden />
          </Button>
        )}
      </div>
      <Differences offered={offered} all={all} />
      <dl className="space-y-1 border-t border-line pt-2">
        {recipeLines(recipe).map(({ about, said }) => (
          <div key={about} className="grid grid-cols-[88px_1fr] gap-2">
            <dt className="text-soft">{about}</dt>
            <dd>
              {said.map(({ name, text }) => (
                <div key={`${name} ${text}`}>
                  {name && <b className="font-medium">{name}: </b>}
                  {text}
                </div>
              ))}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
