import type { ComponentProps, ReactNode } from "react";
import { sayError } from "../api/client";
import { FEATURE_FILES, featureText } from "../api/featureFile";
import { uuid } from "../lib/uuid";
import { useUi } from "../state/ui";
import { FileButton } from "../ui/FileButton";
import type { Step } from "@hindglance/core/classify/legend";
import { type ImportedAs, withImported } from "@hindglance/core/classify/importAreas";
import type { Classify } from "./useClassify";

/** Files that are GeoJSON already; others are read as features first, by the server. */
const IS_JSON = /\.(json|geojson)$/i;

/** Reads the areas of a file into the settings, as they are once it is read. */
function useImport({ change }: Classify, as: ImportedAs) {
  return async (file: File) => {
    try {
      const text = await featureText(file, IS_JSON);
      let added = 0;
      const take: Step = (settings) => {
        const next = withImported(settings, { text, file: file.name, newId: uuid, as });
        added = Object.keys(next.areas).length - Object.keys(settings.areas).length;
        return next;
      };
      if (change(take)) {
        const kind = as.isTest ? "test" : "training";
        useUi
          .getState()
          .say(`${added} ${kind} ${added === 1 ? "area" : "areas"} of ${file.name} taken in.`);
      }
    } catch (error) {
      useUi.getState().say(sayError(error), "wrong");
    }
  };
}

interface Props {
  classify: Classify;
  as: ImportedAs;
  /** What the file holds, for those who cannot see it. */
  name: string;
  tone?: ComponentProps<typeof FileButton>["tone"];
  className?: string;
  children: ReactNode;
}

/** A button that takes areas out of a file. */
export function ImportAreas({ classify, as, name, children, ...look }: Props) {
  const importFile = useImport(classify, as);
  return (
    <FileButton
      {...look}
      label={name}
      accept={FEATURE_FILES}
      title="Polygons with a property “class”: GeoJSON in longitude and latitude, a Shapefile in a ZIP, GeoPackage, KML or FlatGeobuf"
      onFile={(file) => void importFile(file)}
    >
      {children}
    </FileButton>
  );
}
