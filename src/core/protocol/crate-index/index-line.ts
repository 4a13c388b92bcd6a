import { objectOf, textOf } from '../../manifest/fields.ts';
import { jsonOrNull } from '../../text/json.ts';

// One line of a crate's file in an index (The Cargo Book, "Registry Index", "JSON schema"), and the metadata of the publish
// request ("Registry Web API", "Publish"), both from the normalised Cargo.toml of the crate.

/** A need of a crate. */
export type CrateNeed = {
  /** Name of the crate that is needed. */
  readonly crate: string;
  /** What the manifest calls it; null where that is the same. */
  readonly renamed: string | null;
  readonly req: string;
  readonly features: readonly string[];
  readonly optional: boolean;
  readonly defaultFeatures: boolean;
  readonly target: string | null;
  readonly kind: 'normal' | 'build' | 'dev';
  /** The index it comes from; null for the one that this crate is in. */
  readonly registry: string | null;
};

const tables = [
  ['dependencies', 'normal'],
  ['build-dependencies', 'build'],
  ['dev-dependencies', 'dev'],
] as const;

/** Where the needs of a crate are: `own` is the address of the index that it goes to, `others` that of needs without a registry. */
export type NeedPlaces = { readonly own: string; readonly others: string | null };

/** The needs of a crate by its normalised manifest; what is in the same index has no registry. */
export function crateNeeds(
  manifest: Readonly<Record<string, unknown>>,
  { own: ownIndex, others }: NeedPlaces,
): CrateNeed[] {
  const registryOf = (index: string | null) => {
    const registry = index ?? others;
    return registry === null || plainAddress(registry) === plainAddress(ownIndex) ? null : registry;
  };
  const own = (holder: Readonly<Record<string, unknown>>, target: string | null) =>
    tables.flatMap(([table, kind]) =>
      Object.entries({ ...objectOf(holder[table.replace('-', '_')]), ...objectOf(holder[table]) }).map(
        ([key, value]): CrateNeed => {
          const field = objectOf(value);
          const crate = textOf(field['package']) ?? key;
          return {
            crate,
            renamed: crate === key ? null : key,
            req: textOf(value) ?? textOf(field['version']) ?? '*',
            features: textsOf(field['features']),
            optional: field['optional'] === true,
            defaultFeatures: (field['default-features'] ?? field['default_features']) !== false,
            target,
            kind,
            registry: registryOf(textOf(field['registry-index'])),
          };
        },
      ),
    );
  const targets = Object.entries(objectOf(manifest['target'])).flatMap(([target, value]) =>
    own(objectOf(value), target),
  );
  return [...own(manifest, null), ...targets];
}

const plainAddress = (index: string) => index.replace(/^(?:sparse|registry)\+/, '').replace(/\/+$/, '');

function textsOf(value: unknown): string[] {
  return Array.isArray(value) ? value.filter((item) => typeof item === 'string') : [];
}

/** Features, those that only newer clients can read apart ("JSON schema", `features2`). */
function splitFeatures(manifest: Readonly<Record<string, unknown>>) {
  const all = Object.entries(objectOf(manifest['features'])).map(([name, value]) => [name, textsOf(value)] as const);
  const isNew = ([, values]: readonly [string, readonly string[]]) =>
    values.some((value) => value.startsWith('dep:') || value.includes('?/'));
  return {
    features: Object.fromEntries(all.filter((feature) => !isNew(feature))),
    features2: Object.fromEntries(all.filter(isNew)),
  };
}

/** A line for a version. @param sha256 of the `.crate` file. */
export function indexLine({
  manifest,
  version,
  sha256,
  places,
}: {
  readonly manifest: Readonly<Record<string, unknown>>;
  readonly version: string;
  readonly sha256: string;
  readonly places: NeedPlaces;
}): string {
  const crate = objectOf(manifest['package']);
  const { features, features2 } = splitFeatures(manifest);
  const hasNew = Object.keys(features2).length > 0;
  return JSON.stringify({
    name: textOf(crate['name']) ?? '',
    vers: version,
    deps: crateNeeds(manifest, places).map((need) => ({
      name: need.renamed ?? need.crate,
      req: need.req,
      features: need.features,
      optional: need.optional,
      default_features: need.defaultFeatures,
      target: need.target,
      kind: need.kind,
      ...(need.registry === null ? {} : { registry: need.registry }),
      ...(need.renamed === null ? {} : { package: need.crate }),
    })),
    cksum: sha256,
    features,
    yanked: false,
    links: textOf(crate['links']),
    ...(hasNew ? { v: 2, features2 } : {}),
    ...(textOf(crate['rust-version']) === null ? {} : { rust_version: crate['rust-version'] }),
  });
}

/** The metadata that goes in front of the file in a publish request. @param readme text of the readme, null for none. */
export function publishMetadata({
  manifest,
  version,
  readme,
  places,
}: {
  readonly manifest: Readonly<Record<string, unknown>>;
  readonly version: string;
  readonly readme: string | null;
  readonly places: NeedPlaces;
}): Record<string, unknown> {
  const crate = objectOf(manifest['package']);
  const text = (key: string) => textOf(crate[key]);
  return {
    name: text('name') ?? '',
    vers: version,
    deps: crateNeeds(manifest, places).map((need) => ({
      name: need.crate,
      version_req: need.req,
      features: need.features,
      optional: need.optional,
      default_features: need.defaultFeatures,
      target: need.target,
      kind: need.kind,
      registry: need.registry,
      explicit_name_in_toml: need.renamed,
    })),
    features: Object.fromEntries(
      Object.entries(objectOf(manifest['features'])).map(([name, value]) => [name, textsOf(value)]),
    ),
    authors: textsOf(crate['authors']),
    description: text('description'),
    documentation: text('documentation'),
    homepage: text('homepage'),
    readme,
    readme_file: readme === null ? null : text('readme'),
    keywords: textsOf(crate['keywords']),
    categories: textsOf(crate['categories']),
    license: text('license'),
    license_file: text('license-file'),
    repository: text('repository'),
    badges: {},
    links: text('links'),
    rust_version: text('rust-version'),
  };
}

/** A line as it was read: its text stays as it is unless something of it changes. */
export type IndexLine = {
  readonly text: string;
  readonly name: string;
  readonly version: string;
  readonly sha256: string | null;
  readonly isYanked: boolean;
};

/** The lines of a crate's file; null when one of them is no such line. */
export function parseIndexFile(text: string): IndexLine[] | null {
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  const found = lines.flatMap((line): IndexLine[] => {
    const value = objectOf(jsonOrNull(line));
    const [name, version] = [textOf(value['name']), textOf(value['vers'])];
    if (name === null || version === null) return [];
    return [{ text: line, name, version, sha256: textOf(value['cksum']), isYanked: value['yanked'] === true }];
  });
  return found.length === lines.length ? found : null;
}

/** A line with `yanked` set. */
export function yankedLine(line: IndexLine): IndexLine {
  if (line.isYanked) return line;
  return { ...line, isYanked: true, text: JSON.stringify({ ...objectOf(jsonOrNull(line.text)), yanked: true }) };
}

/** The text of a crate's file. */
export function formatIndexFile(lines: readonly IndexLine[]): string {
  return lines.map(({ text }) => `${text}\n`).join('');
}
