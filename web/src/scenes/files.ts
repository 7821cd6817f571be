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
/** World file, coordinate system, description, rational polynomial or mask beside an image. */
const BESIDE =
  /(\.(pgw|pngw|jgw|jpgw|jpegw|tfw|tifw|j2w|jp2w|wld|prj|msk|aux\.xml|rpb)|_rpc\.txt)$/i;
/** Parts of a Shapefile that are read. */
const OF_A_SHAPE = /\.(shp|shx|dbf|prj|cpg)$/i;
/** Overviews, descriptions and search trees that programs leave beside a file, and nobody needs here. */
const LEFT_BY_PROGRAMS = /\.(ovr|aux\.xml|shp\.xml|sbn|sbx|qix|qpj|qmd)$/i;

/** Endings that stand behind the whole name of an image. */
const IN_FULL = /\.(msk|aux\.xml)$/i;

const without = (path: string, ending: RegExp): string => path.replace(ending, "");
/** Path without its ending; of a mask or a text beside "x.tif", whose name goes on behind it, "x". */
const bare = (path: string): string =>
  without(without(without(path, LEFT_BY_PROGRAMS), /\.msk$|_rpc(?=\.txt$)/i), /\.\w+$/);

/** What files are picked together, as far as it shows in their paths. */
interface Together {
  /** Folders of products, with a slash behind. */
  roots: string[];
  /** Beginnings of the paths of optical scenes. */
  stems: string[];
  /** Paths without ending of Shapefiles. */
  shapes: Set<string>;
  /** Paths of what lies beside an image, and of that image itself, with the image's. */
  images: Map<string, string>;
  all: Set<string>;
}

/** The image that a file lies beside; undefined where there is none such. */
function imageBeside(path: string, images: readonly string[]): string | undefined {
  const subject = without(path, IN_FULL);
  if (IMAGE.test(subject)) {
    return images.find((image) => image === subject);
  }
  const sharing = images.filter((image) => without(image, IMAGE) === bare(path));
  // A world file begins as the ending of its image: .pgw beside .png.
  const [, letter] = /\.(\w)\w*w$/.exec(path.toLowerCase()) ?? [];
  return (
    sharing.find((image) => /\.(\w)\w*$/.exec(image.toLowerCase())![1] === letter) ?? sharing[0]
  );
}

function togetherIn(paths: readonly string[]): Together {
  const images = paths.filter((path) => IMAGE.test(path));
  const beside = paths
    .filter((path) => BESIDE.test(path))
    .flatMap((path) => {
      const image = imageBeside(path, images);
      return image ? [[path, image] as const, [image, image] as const] : [];
    });
  return {
    roots: paths
      .filter((path) => MANIFEST.test(path))
      .map((path) => path.slice(0, path.lastIndexOf("/") + 1)),
    stems: paths.filter((path) => METADATA.test(path)).map((path) => without(path, METADATA)),
    shapes: new Set(paths.filter((path) => /\.shp$/i.test(path)).map((path) => bare(path))),
    images: new Map(beside),
    all: new Set(paths),
  };
}

/**
 * What a file goes with: the folder, the beginning of the paths, the path without ending that they
 * share, or the image that they lie beside; "" for one that goes by itself, null for one that is not sent.
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
  const image = images.get(path);
  if (image !== undefined) {
    return image;
  }
  const subject = without(path, LEFT_BY_PROGRAMS);
  const isNeedless = subject !== path && (all.has(subject) || shapes.has(bare(path)));
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
 * text, an image with its world file, coordinate system, description, rational polynomial or mask, the
 * parts of a Shapefile; all others come one by one, under "". Overviews and search trees beside a file are left out.
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
