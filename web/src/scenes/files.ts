/** Path of a file inside the folder that was picked or dropped. */
export const pathOf = (file: File): string =>
  (file.webkitRelativePath || (file as File & { path?: string }).path || file.name).replace(
    /^\.?\//,
    "",
  );

const MANIFEST = /(^|\/)(manifest\.safe|MTD_MSIL(1C|2A)\.xml)$/i;
const METADATA = /_MTL\.(txt|json|xml)$/i;
const OF_A_STACK = /\.(tiff?|jp2|txt|json|xml)$/i;
const TEXT = /\.(txt|json|xml)$/i;
const IMAGE = /\.(png|jpe?g|tiff?|jp2)$/i;
/** World file, coordinate system or mask beside an image. */
const BESIDE = /\.(pgw|pngw|jgw|jpgw|jpegw|tfw|tifw|j2w|jp2w|wld|prj|msk)$/i;
/** Parts of a Shapefile that are read. */
const OF_A_SHAPE = /\.(shp|shx|dbf|prj|cpg)$/i;
/** Overviews, statistics and search trees that programs leave beside a file, and nobody needs here. */
const LEFT_BY_PROGRAMS = /\.(ovr|aux\.xml|shp\.xml|sbn|sbx|qix|qpj|qmd)$/i;

const without = (path: string, ending: RegExp): string => path.replace(ending, "");
/** Path without its ending; of a mask or a text beside "x.tif", whose name goes on behind it, "x". */
const bare = (path: string): string =>
  without(without(without(path, LEFT_BY_PROGRAMS), /\.msk$/i), /\.\w+$/);

/** What files are picked together, as far as it shows in their paths. */
interface Together {
  /** Folders of products, with a slash behind. */
  roots: string[];
  /** Beginnings of the paths of optical scenes. */
  stems: string[];
  /** Paths without ending of Shapefiles, and of images with something beside them. */
  shapes: Set<string>;
  images: Set<string>;
  all: Set<string>;
}

function togetherIn(paths: readonly string[]): Together {
  const bareOf = (pattern: RegExp) =>
    new Set(paths.filter((path) => pattern.test(path)).map((path) => bare(path)));
  const beside = bareOf(BESIDE);
  const images = paths
    .filter((path) => IMAGE.test(path))
    .map((path) => without(path, IMAGE))
    .filter((path) => beside.has(path));
  return {
    roots: paths
      .filter((path) => MANIFEST.test(path))
      .map((path) => path.slice(0, path.lastIndexOf("/") + 1)),
    stems: paths.filter((path) => METADATA.test(path)).map((path) => without(path, METADATA)),
    shapes: bareOf(/\.shp$/i),
    images: new Set(images),
    all: new Set(paths),
  };
}

/**
 * What a file goes with: the folder, the beginning of the paths, or the path without ending that they
 * share; "" for one that goes by itself, null for one that is not sent.
 */
function groupOf(path: string, { roots, stems, shapes, images, all }: Together): string | null {
  const root = roots.find((folder) => path.startsWith(folder));
  if (root !== undefined) {
    return root;
  }
  const stem = stems.find((start) => path.startsWith(`${start}_`) && OF_A_STACK.test(path));
  if (stem !== undefined) {
    // Of a scene's other texts only the metadata are read.
    return TEXT.test(path) && !METADATA.test(path) ? null : stem;
  }
  if (shapes.has(bare(path)) && OF_A_SHAPE.test(path)) {
    return bare(path);
  }
  if (images.has(bare(path)) && (IMAGE.test(path) || BESIDE.test(path))) {
    return bare(path);
  }
  const subject = without(path, LEFT_BY_PROGRAMS);
  const isNeedless =
    subject !== path && (all.has(subject) || shapes.has(bare(path)) || images.has(bare(path)));
  return isNeedless ? null : "";
}

const RANK = ["txt", "json", "xml"];
const rankOf = ({ name }: File): number => RANK.indexOf(name.split(".").pop()!.toLowerCase());

/** Without all metadata texts but one: the plain one before the others. */
function withOneMetadata(files: File[]): File[] {
  const [first] = files
    .filter(({ name }) => METADATA.test(name))
    .sort((a, b) => rankOf(a) - rankOf(b));
  return files.filter((file) => !METADATA.test(file.name) || file === first);
}

/**
 * What files belong together: a product's folder, the bands of an optical scene with its metadata
 * text, an image with its world file, coordinate system or mask, the parts of a Shapefile; all others
 * come one by one, under "". Overviews and search trees beside a file are left out.
 */
export function byFolder(files: File[]): Map<string, File[]> {
  const together = togetherIn(files.map(pathOf));
  const out = new Map<string, File[]>();
  for (const file of files) {
    const group = groupOf(pathOf(file), together);
    if (group !== null) {
      out.set(group, [...(out.get(group) ?? []), file]);
    }
  }
  for (const stem of together.stems) {
    out.set(stem, withOneMetadata(out.get(stem) ?? []));
  }
  return out;
}
