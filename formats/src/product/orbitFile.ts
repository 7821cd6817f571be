import type { StateVector } from "@hindglance/core/radar/orbit";
import { FormatError } from "../errors";
import { type XmlElement, parseXml } from "../xml";

export interface OrbitFile {
  mission: string;
  kind: "precise" | "restituted";
  from: number;
  to: number;
  vectors: StateVector[];
}

/** Whether a file is named as an orbit file. */
export const looksLikeOrbitFile = (name: string): boolean => /\.EOF$/i.test(name);

/**
 * An Earth Explorer orbit file: mission, validity and state vectors in the Earth-fixed frame. Times
 * are taken from the file's UTC.
 * @throws FormatError when it is none, or its vectors are not Earth-fixed
 */
export function readOrbitFile(bytes: Uint8Array, name: string): OrbitFile {
  const root = parseXml(bytes, name);
  const header = root.find("Earth_Explorer_Header/Fixed_Header");
  if (!header) {
    throw new FormatError(
      "unsupported",
      `${name} is not an Earth Explorer orbit file`,
      "Take the orbit file as its agency gives it out.",
    );
  }
  const frame = root.find("Earth_Explorer_Header/Variable_Header/Ref_Frame")?.text();
  if (frame && frame !== "EARTH_FIXED") {
    throw new FormatError(
      "unsupported",
      `${name} gives its vectors in the frame ${frame}; Earth-fixed ones are needed`,
    );
  }
  const list = root.all("Data_Block/List_of_OSVs/OSV");
  if (list.length < 4) {
    throw new FormatError(
      "incomplete",
      `${name} holds ${list.length} state vectors; four or more are needed`,
    );
  }
  const validity = header.get("Validity_Period");
  const type = header.find("File_Type")?.text() ?? "";
  return {
    mission: header.text("Mission").trim(),
    kind: /RES/i.test(type) ? "restituted" : "precise",
    from: validity.time("Validity_Start"),
    to: validity.time("Validity_Stop"),
    vectors: list.map((element): StateVector => ({
      t: element.time("UTC"),
      position: xyz(element, ""),
      velocity: xyz(element, "V"),
    })),
  };
}
const xyz = (element: XmlElement, prefix: string): [number, number, number] => [
  element.number(`${prefix}X`),
  element.number(`${prefix}Y`),
  element.number(`${prefix}Z`),
];

/**
 * Missions as people and files write them: letters and digits only, without a leading unit number's
 * hyphen.
 */
export const missionKey = (s: string): string => s.toUpperCase().replace(/[^A-Z0-9]/g, "");
