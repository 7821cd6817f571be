import type { ChangeMap } from "../api/types";
import { sayError } from "../api/client";
import { FEATURE_FILES, featureText } from "../api/featureFile";
import { Section } from "../frame/Section";
import { useUi } from "../state/ui";
import { FileButton } from "../ui/FileButton";
import { knownAreas } from "./knownAreas";
import { useTestAreas } from "./useSamples";

/** Files that are GeoJSON already; others are read as features first, by the server. */
const IS_JSON = /\.(json|geojson)$/i;

interface Props {
  map: ChangeMap;
  /** Is given the id of what was counted. */
  onCounted(sample: string): void;
}

/** Tests a map on areas of known class out of a file. */
export function TestOnAreas({ map, onCounted }: Props) {
  const { count, isBusy } = useTestAreas(map, onCounted);
  const take = async (file: File) => {
    try {
      const areas = knownAreas(map, await featureText(file, IS_JSON), file.name);
      count({ name: file.name.slice(0, 80), areas });
    } catch (error) {
      useUi.getState().say(sayError(error), "wrong");
    }
  };
  return (
    <Section title="Or on areas that you know">
      <p className="mb-2 text-soft">
        Areas are no random sample: they give a matrix of the cells in them, and no interval or area
        of the whole map.
      </p>
      <FileButton
        label="File of test areas"
        accept={FEATURE_FILES}
        title="Polygons with a property “class” that names a class of the map: GeoJSON, a Shapefile in a ZIP, GeoPackage, KML or FlatGeobuf"
        onFile={(file) => void take(file)}
      >
        {isBusy ? "Counting …" : "Test areas from a file"}
      </FileButton>
    </Section>
  );
}
