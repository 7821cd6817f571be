import * as yup from "yup";
import { type PathClass, pathClassesSchema, placesOnDate } from "../../cover/paths";
import { InputError } from "../../errors";
import { CLASS_NODATA, labelCells } from "../../raster/block";
import type { Step } from "../step";
import { cellByCell, requireOneGrid } from "./common";

/**
 * Where ground went through given classes date after date: 1 there, 0 elsewhere; nodata where a date
 * has no class at all. Inputs: class images of one grid, by date.
 */
export const coverPathStep: Step<{ classes: PathClass[]; path: number[] }> = {
  kind: "cover.path",
  version: 1,
  title: "Path through dates",
  help: "Where ground was these classes, date after date.",
  inputs: { min: 2, max: 12 },
  params: yup
    .object({
      classes: pathClassesSchema,
      path: yup.array(yup.number().integer().min(0).required()).min(2).required(),
    })
    .noUnknown(),
  describe(inputs, { classes, path }) {
    requireOneGrid("Path through dates", inputs);
    if (inputs.some(({ type }) => type !== "class8")) {
      throw new InputError("A path goes through classified dates", "inputs");
    }
    if (path.length !== inputs.length || path.some((place) => place >= classes.length)) {
      throw new InputError("A path names one class a date", "path");
    }
    const name = path.map((place) => classes[place]!.name).join(" → ");
    return {
      grid: inputs[0]!.grid,
      type: "class8",
      bands: [{ name: "path", unit: "", role: "classes" }],
      classes: [{ label: 1, name: name.slice(0, 120), color: classes[path.at(-1)!]!.color }],
    };
  },
  reach: cellByCell,
  compute(dates, out, { params: { classes, path } }) {
    const labels = labelCells(out.bands[0]!);
    labels.fill(1);
    dates.forEach((date, k) => {
      const cells = labelCells(date.bands[0]!);
      const places = placesOnDate(classes, k);
      for (let i = 0; i < labels.length; i++) {
        if (cells[i] === CLASS_NODATA) {
          labels[i] = CLASS_NODATA;
        } else if (labels[i] !== CLASS_NODATA && places[cells[i]!] !== path[k]! + 1) {
          labels[i] = 0;
        }
      }
    });
  },
};
