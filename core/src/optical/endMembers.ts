/**
 * Mean reflectance of many unlike materials (soils, rock, green and dry plants, built ground) by
 * wavelength; between, on straight lines. A convention of ours, see docs/methods.md.
 */
const DIVERSE: readonly (readonly [nm: number, reflectance: number])[] = [
  [400, 0.09],
  [450, 0.1],
  [560, 0.155],
  [660, 0.18],
  [700, 0.2],
  [760, 0.31],
  [865, 0.34],
  [1100, 0.37],
  [1250, 0.37],
  [1610, 0.33],
  [2200, 0.25],
  [2500, 0.21],
];

/** Mean reflectance of a scene of diverse materials at a wavelength in nanometres. */
export function diverseReflectance(nm: number): number {
  const k = DIVERSE.findIndex(([x]) => x >= nm);
  const hi = DIVERSE[k]!;
  const lo = DIVERSE[k - 1];
  if (k < 0) {
    return DIVERSE.at(-1)![1];
  }
  return lo ? lo[1] + ((hi[1] - lo[1]) * (nm - lo[0])) / (hi[0] - lo[0]) : hi[1];
}

/** Spectra shorter than this share of the brightest are water or shadow. */
const DARK_SHARE = 0.25;
/**
 * End members of a set of spectra: first the brightest, then again and again the one that is
 * furthest from everything that those found so far can be mixed
 * to (orthogonal subspace projection). Stops at `most`, or when what is left is within a fiftieth
 * of the brightest.
 * @param spectra one after the other, `bands` numbers each; spectra with NaN are passed over;
 * @returns places of the end members
 */
export function endMembers(spectra: Float64Array, bands: number, most: number): number[] {
  const n = Math.floor(spectra.length / bands);
  const rest = Float64Array.from(spectra);
  const found: number[] = [];
  const length = (i: number) => {
    let squares = 0;
    for (let b = 0; b < bands; b++) {
      squares += spectra[i * bands + b]! ** 2;
    }
    return squares;
  };
  let brightest = 0;
  for (let i = 0; i < n; i++) {
    const size = length(i);
    if (size > brightest) {
      brightest = size;
    }
  }
  // Water and shadow are the baseline, not materials.
  for (let i = 0; i < n; i++) {
    if (!(length(i) >= brightest * DARK_SHARE ** 2)) {
      rest.fill(0, i * bands, (i + 1) * bands);
    }
  }
  while (found.length < Math.min(most, bands)) {
    let best = -1;
    let far = 0;
    for (let i = 0; i < n; i++) {
      let squares = 0;
      for (let b = 0; b < bands; b++) {
        squares += rest[i * bands + b]! ** 2;
      }
      if (squares > far) {
        far = squares;
        best = i;
      }
    }
    if (best < 0 || far < brightest * 0.02 ** 2) {
      break;
    }
    found.push(best);
    const basis = Array.from(
      rest.subarray(best * bands, best * bands + bands),
      (value) => value / Math.sqrt(far),
    );
    for (let i = 0; i < n; i++) {
      let delta = 0;
      for (let b = 0; b < bands; b++) {
        delta += rest[i * bands + b]! * basis[b]!;
      }
      for (let b = 0; b < bands; b++) {
        rest[i * bands + b]! -= delta * basis[b]!;
      }
    }
  }
  return found;
}

/**
 * Mean angle between the spectra of end members, in radians: how unlike the materials of a scene
 * are. NaN with fewer than two.
 */
export function diversity(
  spectra: Float64Array,
  bands: number,
  members: readonly number[],
): number {
  let sum = 0;
  let n = 0;
  for (let i = 0; i < members.length; i++) {
    for (let j = 0; j < i; j++) {
      let delta = 0;
      let a = 0;
      let c = 0;
      for (let b = 0; b < bands; b++) {
        const x = spectra[members[i]! * bands + b]!;
        const y = spectra[members[j]! * bands + b]!;
        delta += x * y;
        a += x * x;
        c += y * y;
      }
      sum += Math.acos(Math.max(-1, Math.min(1, delta / Math.sqrt(a * c))));
      n++;
    }
  }
  return n ? sum / n : NaN;
}
/** Diversity under which the empirical method does not hold. */
export const LEAST_DIVERSITY = 0.25;

/**
 * Gains that air can ask for: beyond them the scene's materials are not those that the method takes
 * for granted.
 */
export const SOUND_GAINS = [0.8, 1.7] as const;
/**
 * What clear air leaves to be made good beyond 780 nm, where it hardly matters: by it the level of
 * all gains is set.
 */
const INFRARED_GAIN = 1.04;

export interface EmpiricalFit {
  gains: number[];
  members: number;
  diversity: number;
}
/**
 * In-scene empirical correction: what the darkest material shows in a band is the light of the air;
 * the scene's end members, that taken off, are brought in the
 * mean to the course over wavelength that many unlike materials have in the mean; the near and
 * shortwave infrared, which air hardly dims, set the level. Surface reflectance = (toa −
 * dark)·gain.
 * Source: the idea of Bernstein et al. 2005, with our own end-member search and reference.
 * @param spectra sampled cells, toa − dark, band after band within a cell; @param nm wavelengths of
 * the bands
 */
export function empiricalFit(spectra: Float64Array, nm: readonly number[]): EmpiricalFit {
  const bands = nm.length;
  const members = endMembers(spectra, bands, 12);
  const raw = nm.map((w, b) => {
    const mean = members.reduce((s, i) => s + spectra[i * bands + b]!, 0) / members.length;
    return mean > 0 ? diverseReflectance(w) / mean : 1;
  });
  const far = raw.filter((_g, b) => nm[b]! >= 780);
  const level = far.length
    ? INFRARED_GAIN / Math.exp(far.reduce((s, value) => s + Math.log(value), 0) / far.length)
    : 1;
  const gains = raw.map((value) => value * level);
  return { gains, members: members.length, diversity: diversity(spectra, bands, members) };
}
