/** How a version is written into a place: as SemVer, and in the spelling of the package's ecosystem. */
export type PlaceStamp = { readonly version: string; readonly spelt: string };

/** A place beside the manifest's own field where a package keeps its version. */
export type VersionPlace = {
  /** Path in the repository. */
  readonly file: string;
  /** What of the file it is, as a person calls it: "__version__", "project(… VERSION)". */
  readonly what: string;
  /** Whether the manifest takes its version from here, so that this is the package's version. */
  readonly isSource: boolean;
  /** The version as it is written there; null when it has none. */
  readonly read: (text: string) => string | null;
  /** Writes a version in place; everything else stays byte for byte. */
  readonly stamp: (text: string, stamp: PlaceStamp) => string;
};

/** What places are found from. */
export type PlaceSearch = {
  /** '' for the root of the repository. */
  readonly folder: string;
  /** The package's name as the manifest has it, else as it is configured. */
  readonly name: string;
  readonly manifestPath: string | null;
  /** Paths in the repository, all of them. */
  readonly files: ReadonlySet<string>;
  /** The text of a file, null where there is none. */
  readonly read: (file: string) => Promise<string | null>;
};

/** Finds the places of one ecosystem by the rules of its manifests. */
export type FindPlaces = (search: PlaceSearch) => Promise<readonly VersionPlace[]>;

/** A path inside a folder of the repository. */
export function inside(folder: string, file: string): string {
  return folder === '' ? file : `${folder}/${file}`;
}

/** The folders from a package's own up to the root. */
export function foldersUp(folder: string): string[] {
  const parts = folder === '' ? [] : folder.split('/');
  return [...parts.keys()].map((index) => parts.slice(0, parts.length - index).join('/')).concat('');
}

/**
 * A place that one expression finds: its groups `before`, `version` and `after` are the whole match.
 * @param written the text to write; the version as the ecosystem spells it by default.
 */
export function placeByPattern(
  about: Pick<VersionPlace, 'file' | 'what' | 'isSource'>,
  pattern: RegExp,
  written: (stamp: PlaceStamp) => string = ({ spelt }) => spelt,
): VersionPlace {
  return {
    ...about,
    read: (text) => pattern.exec(text)?.groups?.['version'] ?? null,
    stamp: (text, stamp) =>
      text.replace(pattern, (...match) => {
        const { before = '', after = '' } = match.at(-1) as Record<string, string>;
        return `${before}${written(stamp)}${after}`;
      }),
  };
}

/** The numbers of a version alone, for places that know no prereleases. */
export function numbersOnly({ version }: PlaceStamp): string {
  return version.replace(/[-+].*$/, '');
}
