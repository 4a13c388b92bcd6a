import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { jsonOrNull } from '../../text/json.ts';
import { readVersion, strictReading } from '../../version/loose-version.ts';
import { compareVersions, isVersion } from '../../version/version.ts';
import {
  type IndexChange,
  type Layout,
  type LayoutParcel,
  type LayoutSubject,
  type LayoutView,
  noPlace,
  notAnIndex,
  pathBelow,
  plainLayout,
} from '../layout.ts';
import { flatPath, formatStaticServices, normaliseNugetVersion, parseFlatVersions } from '../nuget-v3/nuget.ts';

type Leaf = Readonly<Record<string, unknown>>;

/**
 * The resources of a NuGet server that can be files ("NuGet Server API": Service index, Package Base Address, Package
 * metadata). The registration says which versions are listed; the list of the flat container is what a restore reads.
 */
export const nugetStatic: Layout = {
  ...plainLayout,
  needsBase: true,
  index: registrationOf,
  spelt,
  asVersion: (spelt) => (isVersion(spelt) ? spelt : readVersion(spelt, { ...strictReading, parts: 1 })),
  read: (text, _subject, { base }) =>
    parseLeaves(text)?.map((leaf) => {
      const path = pathBelow(base, textOf(leaf['packageContent']) ?? '');
      const entry = objectOf(leaf['catalogEntry']);
      return {
        version: textOf(entry['version']) ?? '',
        files: path === null ? [] : [path],
        withdrawn: entry['listed'] === false ? '' : null,
      };
    }) ?? null,
  home: (subject, view) => registrationOf(subject, view).replace(/^registration(.*\/)[^/]+$/, 'flat$1'),
  place: (item, view) => {
    registrationOf(item, view);
    return `flat/${flatPath(item.name, spelt(item))}`;
  },
  beside: ({ manifestText, name }, place) =>
    manifestText === null ? [] : [{ path: nuspecBeside(place, name), content: { text: manifestText } }],
  list: (parcels, places, view) => [
    { path: 'index.json', change: (before) => withServices(before, view) },
    ...parcels.flatMap((parcel, at): IndexChange[] => [
      changeLeaves(parcel, view, (leaves) => withLeaf(leaves, { parcel, place: places[at] ?? '' }, view)),
      changeFlat(parcel, view, (versions) => {
        const own = normaliseNugetVersion(spelt(parcel));
        return versions.includes(own) ? versions : [...versions, own].sort(compareVersions);
      }),
    ]),
  ],
  takeBack: (subject, { erase, places }, view) => {
    const own = normaliseNugetVersion(spelt(subject));
    if (erase)
      return {
        changes: dropping(subject, new Set([own]), view),
        removes: places.flatMap((place) => [place, nuspecBeside(place, subject.name)]),
        how: 'deleted',
        limits: 'copies that others took are not called back',
      };
    const unlist = (leaf: Leaf) =>
      normalOf(leaf) === own ? { ...leaf, catalogEntry: { ...objectOf(leaf['catalogEntry']), listed: false } } : leaf;
    return {
      changes: [changeLeaves(subject, view, (leaves) => leaves.map(unlist))],
      removes: [],
      how: 'unlisted',
      limits: 'projects that name this version still restore it',
    };
  },
  drop: (subject, versions, view) =>
    dropping(subject, new Set([...versions].map((version) => normaliseNugetVersion(version))), view),
  refersTo: (path, text) => {
    const id = /^flat\/([^/]+)\/index\.json$/.exec(path)?.[1];
    if (id !== undefined)
      return (parseFlatVersions(jsonOrNull(text)) ?? []).map((version) => `flat/${flatPath(id, version)}`);
    if (!/^registration\/[^/]+\/index\.json$/.test(path)) return null;
    return (parseLeaves(text) ?? []).flatMap((leaf) => {
      const address = textOf(leaf['packageContent']) ?? '';
      const at = address.lastIndexOf('/flat/');
      return at === -1 ? [] : [address.slice(at + 1)];
    });
  },
};

function spelt({ version, spellings }: Pick<LayoutSubject, 'version' | 'spellings'>): string {
  return spellings.nuget ?? version;
}

/** Ids are letters, digits, `.`, `-` and `_`, at most 100 ("Package ID"). */
function registrationOf(subject: LayoutSubject, view: LayoutView): string {
  const { name } = subject;
  if (/^[A-Za-z0-9_][A-Za-z0-9._-]{0,99}$/.test(name)) return `registration/${name.toLowerCase()}/index.json`;
  throw noPlace(view, subject, { why: `${name} is not an id of a package`, fix: 'Correct `id` in its nuspec' });
}

const nuspecBeside = (place: string, name: string) => place.replace(/[^/]+$/, `${name.toLowerCase()}.nuspec`);

function withServices(before: string | null, view: LayoutView): string | null {
  if (before === null) return `${formatStaticServices(view.base)}\n`;
  if (objectsOf(objectOf(jsonOrNull(before))['resources']).length > 0) return null;
  throw notAnIndex(view, 'index.json', 'is not a service index');
}

/** The versions of a registration whose pages are inside; null for any other text. */
function parseLeaves(text: string): Leaf[] | null {
  const pages = objectOf(jsonOrNull(text))['items'];
  if (!Array.isArray(pages) || objectsOf(pages).some((page) => !Array.isArray(page['items']))) return null;
  return objectsOf(pages).flatMap((page) => objectsOf(page['items']));
}

function normalOf(leaf: Leaf): string {
  return normaliseNugetVersion(textOf(objectOf(leaf['catalogEntry'])['version']) ?? '');
}

function changeLeaves(
  subject: LayoutSubject,
  view: LayoutView,
  change: (leaves: readonly Leaf[]) => readonly Leaf[],
): IndexChange {
  const path = registrationOf(subject, view);
  return {
    path,
    change: (before) => {
      const leaves = before === null ? [] : parseLeaves(before);
      if (leaves === null) throw notAnIndex(view, path, 'is not a registration with its pages inside');
      const after = change(leaves);
      return before !== null && JSON.stringify(after) === JSON.stringify(leaves)
        ? null
        : formatRegistration(`${view.base}${path}`, after);
    },
  };
}

/** One page with all versions, from the lowest to the highest. */
function formatRegistration(address: string, leaves: readonly Leaf[]): string {
  const items = [...leaves].sort((a, b) => compareVersions(normalOf(a), normalOf(b)));
  const [first, last] = [items[0], items.at(-1)];
  if (first === undefined || last === undefined) return `${JSON.stringify({ '@id': address, count: 0, items: [] })}\n`;
  const page = { '@id': `${address}#page`, count: items.length, lower: normalOf(first), upper: normalOf(last), items };
  return `${JSON.stringify({ '@id': address, count: 1, items: [page] })}\n`;
}

function withLeaf(
  leaves: readonly Leaf[],
  { parcel, place }: { readonly parcel: LayoutParcel; readonly place: string },
  view: LayoutView,
): readonly Leaf[] {
  const own = normaliseNugetVersion(spelt(parcel));
  if (leaves.some((leaf) => normalOf(leaf) === own)) return leaves;
  const { name, manifest } = parcel;
  const folder = `${view.base}registration/${name.toLowerCase()}/`;
  const text = (key: string) => textOf(manifest?.[key]) ?? '';
  const leaf = {
    '@id': `${folder}${own}.json`,
    packageContent: `${view.base}${place}`,
    catalogEntry: {
      '@id': `${folder}index.json#${own}`,
      id: name,
      version: spelt(parcel),
      description: text('description'),
      authors: text('authors'),
      listed: true,
      published: view.now.toISOString(),
    },
  };
  return [...leaves, leaf];
}

function changeFlat(
  subject: LayoutSubject,
  view: LayoutView,
  change: (versions: readonly string[]) => readonly string[],
): IndexChange {
  const path = `flat/${subject.name.toLowerCase()}/index.json`;
  return {
    path,
    change: (before) => {
      const versions = before === null ? [] : parseFlatVersions(jsonOrNull(before));
      if (versions === null) throw notAnIndex(view, path, 'is not a list of versions');
      const after = change(versions);
      return before !== null && after.length === versions.length ? null : `${JSON.stringify({ versions: after })}\n`;
    },
    pointer: () => ({ pointer: path, from: null }),
  };
}

/** A restore reads the list first, so that a version goes from there before anything else does. */
function dropping(subject: LayoutSubject, gone: ReadonlySet<string>, view: LayoutView): IndexChange[] {
  return [
    changeFlat(subject, view, (versions) => versions.filter((version) => !gone.has(version))),
    changeLeaves(subject, view, (leaves) => leaves.filter((leaf) => !gone.has(normalOf(leaf)))),
  ];
}
