import { createHash } from 'node:crypto';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { escapeHtml } from '../../text/html.ts';
import { readVersion } from '../../version/loose-version.ts';
import {
  type IndexChange,
  isPlainPart,
  type Layout,
  type LayoutParcel,
  type LayoutSubject,
  type LayoutView,
  listedOtherwise,
  noPlace,
  notAnIndex,
  pathBelow,
  plainLayout,
} from '../layout.ts';
import { type Anchor, attributeOf, formatPage, parsePage, withAttribute } from './page.ts';
import { isProjectListOf, pageAsJson, projectListAsJson } from './page-json.ts';

const root = 'simple/index.html';

/**
 * Static pages of the Simple Repository API (PEP 503), with digests and yanked files (PEP 592), metadata files (PEP 658,
 * PEP 714), and the same as JSON beside each page (PEP 691). Files lie beside the page of their project, so that addresses are
 * relative and the repository can be moved.
 */
export const simpleIndex: Layout = {
  ...plainLayout,
  besideEndings: ['.metadata'],
  index: pageOf,
  spelt: ({ version, spellings }) => spellings.python ?? version,
  asVersion: (spelt) => readVersion(spelt, { parts: 1, prerelease: 'python', separator: '.' }),
  read: (text, { name }, { base }) => {
    const page = parsePage(text);
    if (page === null) return null;
    const found = new Map<string, { files: string[]; withdrawn: string | null }>();
    for (const anchor of page) {
      const version = versionIn(anchor.label, name);
      const path = placeOf(anchor, name, base);
      if (version === null || path === null) continue;
      const entry = found.get(version) ?? { files: [], withdrawn: null };
      entry.files.push(path);
      entry.withdrawn ??= attributeOf(anchor, 'data-yanked');
      found.set(version, entry);
    }
    return [...found].map(([version, entry]) => ({ version, ...entry }));
  },
  home: folderOf,
  place: (item, view) => {
    const name = folderOf(item, view);
    if (isPlainPart(item.fileName)) return `${name}${item.fileName}`;
    throw noPlace(view, item, { why: `${item.fileName} is not a file name`, fix: 'Rename the artifact' });
  },
  beside: (parcel, place) => {
    const text = metadataOf(parcel);
    return text === null ? [] : [{ path: `${place}.metadata`, content: { text } }];
  },
  list: (parcels, _places, view) => {
    const [first] = parcels;
    if (first === undefined) return [];
    const name = normaliseName(first.name);
    return [
      {
        path: pageOf(first, view),
        change: (before) => withFiles(before, parcels, view),
        follow: (text) => [{ path: jsonBeside(pageOf(first, view)), content: { text: pageAsJson(text, name) } }],
        pointer: () => ({ pointer: pageOf(first, view), from: null }),
      },
      {
        path: root,
        change: (before) => withProject(before, name, view),
        follow: (text) => [
          {
            path: jsonBeside(root),
            content: { make: () => projectListAsJson(text), isMade: (there) => isProjectListOf(there, text) },
          },
        ],
      },
    ];
  },
  takeBack: (subject, { erase, reason, places }, view) => {
    const changes = [
      changePage(subject, view, (page) =>
        erase
          ? page.filter((anchor) => !isOf(anchor, subject))
          : page.map((anchor) => (isOf(anchor, subject) ? withAttribute(anchor, 'data-yanked', reason) : anchor)),
      ),
    ];
    return erase
      ? { changes, removes: places, how: 'deleted', limits: 'copies that others took are not called back' }
      : { changes, removes: [], how: 'yanked', limits: 'installers still take it where it is pinned with == or ===' };
  },
  drop: (subject, versions, view) => [
    changePage(subject, view, (page) =>
      page.filter(({ label }) => {
        const version = versionIn(label, subject.name);
        return version === null || !versions.has(version);
      }),
    ),
  ],
  refersTo: (path, text) => {
    const project = /^simple\/([a-z0-9-]+)\/index\.html$/.exec(path)?.[1];
    if (project !== undefined) return (parsePage(text) ?? []).flatMap((anchor) => placeOf(anchor, project) ?? []);
    if (path !== root) return null;
    return (parsePage(text) ?? []).map(({ label }) => `simple/${normaliseName(label)}/index.html`);
  },
};

/**
 * The METADATA of a wheel; of a source distribution a client reads none. Bytes that are no text in UTF-8 have lost something
 * when they were read.
 */
function metadataOf({ fileName, manifestText }: LayoutParcel): string | null {
  return fileName.endsWith('.whl') && manifestText !== null && !manifestText.includes('\ufffd') ? manifestText : null;
}

function folderOf(subject: LayoutSubject, view: LayoutView): string {
  const name = normaliseName(subject.name);
  if (/^[a-z0-9]+(?:-[a-z0-9]+)*$/.test(name)) return `simple/${name}/`;
  throw noPlace(view, subject, {
    why: `${subject.name} is not a name of a Python project (PEP 508)`,
    fix: 'Correct its name',
  });
}

function pageOf(subject: LayoutSubject, view: LayoutView): string {
  return `${folderOf(subject, view)}index.html`;
}

const jsonBeside = (page: string) => page.replace(/html$/, 'json');

/** The path that an anchor leads to; null for one that leads out of the repository, which is not ours to touch. */
function placeOf(anchor: Anchor, name: string, base = anywhere): string | null {
  const href = attributeOf(anchor, 'href');
  const page = `${base}simple/${normaliseName(name)}/`;
  return href === null ? null : pathBelow(base, href, page);
}

/** For links that are read without the address of their page. */
const anywhere = 'https://repository.invalid/';

/** The version in a file name of a wheel (PEP 427) or a source distribution (PEP 625, and names before it). */
function versionIn(fileName: string, name: string): string | null {
  const wheel = /^([^-]+)-([^-]+)(?:-\d[^-]*)?-[^-]+-[^-]+-[^-]+\.whl$/.exec(fileName);
  if (wheel !== null) return normaliseName(wheel[1] ?? '') === normaliseName(name) ? (wheel[2] ?? null) : null;
  const stem = /^(.+)\.(?:tar\.gz|zip)$/.exec(fileName)?.[1];
  const cut = stem?.lastIndexOf('-') ?? -1;
  if (stem === undefined || cut < 0) return null;
  return normaliseName(stem.slice(0, cut)) === normaliseName(name) ? stem.slice(cut + 1) : null;
}

function isOf({ label }: Anchor, { name, version, spellings }: LayoutSubject): boolean {
  return versionIn(label, name) === (spellings.python ?? version);
}

function changePage(
  subject: LayoutSubject,
  view: LayoutView,
  change: (page: readonly Anchor[]) => readonly Anchor[],
): IndexChange {
  const path = pageOf(subject, view);
  const name = normaliseName(subject.name);
  return {
    path,
    change: (before) => (before === null ? null : formatPage(`Files of ${name}`, change(pageIn(before, path, view)))),
    follow: (text) => [{ path: jsonBeside(path), content: { text: pageAsJson(text, name) } }],
  };
}

function pageIn(text: string, path: string, view: LayoutView): readonly Anchor[] {
  const page = parsePage(text);
  if (page === null) throw notAnIndex(view, path, 'is not a page of links');
  return page;
}

function withFiles(before: string | null, parcels: readonly LayoutParcel[], view: LayoutView): string | null {
  const [first] = parcels;
  if (first === undefined) return null;
  const page = before === null ? [] : pageIn(before, pageOf(first, view), view);
  const known = new Map(page.map((anchor) => [anchor.label, anchor]));
  const news = parcels.filter((parcel) => {
    const there = known.get(parcel.fileName);
    if (there !== undefined && digestIn(there) !== parcel.sha256) throw listedOtherwise(view, parcel);
    return there === undefined;
  });
  if (news.length === 0) return null;
  return formatPage(`Files of ${normaliseName(first.name)}`, [...page, ...news.map(anchorFor)]);
}

function digestIn(anchor: Anchor): string | null {
  return /#sha256=([0-9a-f]{64})$/i.exec(attributeOf(anchor, 'href') ?? '')?.[1]?.toLowerCase() ?? null;
}

function anchorFor(parcel: LayoutParcel): Anchor {
  const { fileName, sha256, manifest } = parcel;
  const text = metadataOf(parcel);
  const requires = manifest?.['Requires-Python'];
  const metadata = text === null ? null : createHash('sha256').update(text).digest('hex');
  const attributes = [
    `href="${encodeURIComponent(fileName)}#sha256=${sha256}"`,
    ...(typeof requires === 'string' ? [`data-requires-python="${escapeHtml(requires)}"`] : []),
    // Clients of before PEP 714 know the older name only, and read it wrongly from JSON alone.
    ...(metadata === null
      ? []
      : [`data-core-metadata="sha256=${metadata}"`, `data-dist-info-metadata="sha256=${metadata}"`]),
  ];
  return { attributes: attributes.join(' '), label: fileName };
}

function withProject(before: string | null, name: string, view: LayoutView): string | null {
  // A page of ten thousand projects is not taken apart where a look is enough.
  if (before?.includes(`<a href="${name}/">`)) return null;
  const page = before === null ? [] : pageIn(before, root, view);
  const isThere = page.some(({ label }) => normaliseName(label) === name);
  return isThere ? null : formatPage('All projects', [...page, { attributes: `href="${name}/"`, label: name }]);
}
