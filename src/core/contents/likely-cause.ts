/** Why two builds of one commit most likely differ. */
export type LikelyCause = 'time' | 'path' | 'order' | 'owner' | 'unknown';

/** One entry of two builds, with what its archives say of it. */
export type TwoBuilds = {
  readonly before: { readonly bytes: Buffer; readonly places: readonly string[] };
  readonly after: { readonly bytes: Buffer; readonly places: readonly string[] };
};

const remedies: Readonly<Record<LikelyCause, string>> = {
  time: 'Let the step take its time from SOURCE_DATE_EPOCH instead of the clock',
  path: 'Let the step write paths relative to the folder of the package; compilers have an option that maps path prefixes',
  order: 'Let the step sort what it lists: folders are read in another order on another disk',
  owner: 'Let the step pack with owner and group 0',
  unknown: 'Compare the two; random names, counters and parallel work are the usual causes',
};

/** What to do against a cause. */
export function remedyFor(cause: LikelyCause): string {
  return remedies[cause];
}

/** Tells by the bytes why an entry came out otherwise: it holds a path of its build, a time, or the same lines in another order. */
export function likelyCause({ before, after }: TwoBuilds): LikelyCause {
  const holds = ({ bytes, places }: TwoBuilds['before']) => places.some((place) => bytes.includes(place));
  if (holds(before) && holds(after)) return 'path';
  const [old, fresh] = [before.bytes.toString('latin1'), after.bytes.toString('latin1')];
  if (withoutTimes(old) === withoutTimes(fresh)) return 'time';
  if (old.length === fresh.length && sortedLines(old) === sortedLines(fresh)) return 'order';
  return 'unknown';
}

// ISO 8601 and its relatives, times of day, and seconds or milliseconds since 1970 of these decades.
const times =
  /\b\d{4}[-/.]\d{2}[-/.]\d{2}(?:[T ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?|\b\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?|(?<!\d)1[5-9]\d{8}(?:\d{3})?(?!\d)|\b(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun)\b|\b(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)\w* +\d{1,2}\b/g;

function withoutTimes(text: string): string {
  return text.replace(times, '#');
}

function sortedLines(text: string): string {
  return text
    .split(/[\n,;]/)
    .sort()
    .join('\n');
}
