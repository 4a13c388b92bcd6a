import { objectOf } from '../../manifest/fields.ts';
import { jsonOrNull } from '../../text/json.ts';
import { isVersion } from '../../version/version.ts';
import {
  type IndexChange,
  type Layout,
  type LayoutParcel,
  type LayoutSubject,
  type LayoutView,
  listedOtherwise,
  noPlace,
  notAnIndex,
  plainLayout,
} from '../layout.ts';
import { indexPath, isCrateName } from './crate-path.ts';
import { formatIndexFile, type IndexLine, indexLine, parseIndexFile, yankedLine } from './index-line.ts';

/** A sparse index of crates, and the crates themselves (The Cargo Book, "Registry Index"; RFC 2789). */
export const crateIndex: Layout = {
  ...plainLayout,
  needsBase: true,
  index: fileOf,
  spelt: ({ version }) => version,
  asVersion: (spelt) => (isVersion(spelt) ? spelt : null),
  read: (text) =>
    parseIndexFile(text)?.map(({ name, version, isYanked }) => ({
      version,
      files: [cratePath(name, version)],
      withdrawn: isYanked ? '' : null,
    })) ?? null,
  home: (subject, view) => {
    fileOf(subject, view);
    return `crates/${subject.name}/`;
  },
  place: (item, view) => {
    fileOf(item, view);
    return cratePath(item.name, item.version);
  },
  list: (parcels, _places, view) => [
    { path: 'config.json', change: (before) => withConfig(before, view) },
    ...parcels.map(
      (parcel): IndexChange => ({
        path: fileOf(parcel, view),
        change: (before) => withVersion(before, parcel, view),
        pointer: () => ({ pointer: fileOf(parcel, view), from: null }),
      }),
    ),
  ],
  takeBack: (subject, { erase, places }, view) =>
    erase
      ? {
          changes: dropping(subject, new Set([subject.version]), view),
          removes: places,
          how: 'deleted',
          limits: 'copies that others took are not called back; their lockfiles do not resolve any more',
        }
      : {
          changes: [
            edit(subject, view, (lines) =>
              lines.map((line) => (line.version === subject.version ? yankedLine(line) : line)),
            ),
          ],
          removes: [],
          how: 'yanked',
          limits: 'lockfiles that name it still resolve, by design',
        },
  drop: dropping,
  refersTo: (path, text) => {
    if (!/^(?:[12]|3\/.|..\/..)\/[^/]+$/.test(path)) return null;
    return (parseIndexFile(text) ?? []).map(({ name, version }) => cratePath(name, version));
  },
};

function fileOf(subject: LayoutSubject, view: LayoutView): string {
  if (isCrateName(subject.name)) return indexPath(subject.name);
  throw noPlace(view, subject, {
    why: `${subject.name} is not a name of a crate`,
    fix: 'Correct `name` in its Cargo.toml',
  });
}

function cratePath(name: string, version: string): string {
  return `crates/${name}/${name}-${version}.crate`;
}

/** Clients ask for this file first ("Index configuration"). What others set in it stays. */
function withConfig(before: string | null, view: LayoutView): string | null {
  const there = before === null ? {} : jsonOrNull(before);
  if (there === null || Array.isArray(there) || typeof there !== 'object')
    throw notAnIndex(view, 'config.json', 'is not the configuration of an index');
  if (typeof objectOf(there)['dl'] === 'string') return null;
  const auth = view.config.access === 'restricted' ? { 'auth-required': true } : {};
  return `${JSON.stringify({ ...there, dl: `${view.base}crates/{crate}/{crate}-{version}.crate`, ...auth }, null, 2)}\n`;
}

function linesIn(text: string, path: string, view: LayoutView): readonly IndexLine[] {
  const lines = parseIndexFile(text);
  if (lines === null) throw notAnIndex(view, path, 'is not the file of a crate');
  return lines;
}

function withVersion(before: string | null, parcel: LayoutParcel, view: LayoutView): string | null {
  const { version, sha256, manifest } = parcel;
  const path = fileOf(parcel, view);
  const lines = before === null ? [] : linesIn(before, path, view);
  const there = lines.find((line) => line.version === version);
  if (there !== undefined && there.sha256 !== sha256) throw listedOtherwise(view, parcel);
  if (there !== undefined) return null;
  const other = lines.find(({ name }) => name !== parcel.name);
  if (other !== undefined)
    throw noPlace(view, parcel, {
      why: `its index has ${other.name}, which differs in capital letters only`,
      fix: 'Give it another name',
    });
  const places = { own: view.base, others: view.config['others-from'] };
  const text = indexLine({ manifest: manifest ?? {}, version, sha256, places });
  return formatIndexFile([...lines, { text, name: parcel.name, version, sha256, isYanked: false }]);
}

function edit(
  subject: LayoutSubject,
  view: LayoutView,
  change: (lines: readonly IndexLine[]) => readonly IndexLine[],
): IndexChange {
  const path = fileOf(subject, view);
  return { path, change: (before) => (before === null ? null : formatIndexFile(change(linesIn(before, path, view)))) };
}

function dropping(subject: LayoutSubject, gone: ReadonlySet<string>, view: LayoutView): IndexChange[] {
  return [edit(subject, view, (lines) => lines.filter(({ version }) => !gone.has(version)))];
}
