import { objectOf, textOf } from '../../manifest/fields.ts';
import { jsonOrNull } from '../../text/json.ts';
import { pointerFor } from '../../version/pointer.ts';
import { isVersion } from '../../version/version.ts';
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
import { integrityOf } from '../npm-registry/npm-document.ts';

type Document = Readonly<Record<string, unknown>>;

/**
 * What a client asks a registry for, as files: the document of a package at its name, and the tarballs that the document names
 * by their whole addresses. No name of a package begins with `_`, so the folder of tarballs never has the name of a document.
 */
export const npmStatic: Layout = {
  ...plainLayout,
  needsBase: true,
  index: documentOf,
  spelt: ({ version }) => version,
  asVersion: (spelt) => (isVersion(spelt) ? spelt : null),
  read: (text, _subject, { base }) => {
    const document = parseDocument(text);
    if (document === null) return null;
    return Object.entries(objectOf(document['versions'])).map(([version, manifest]) => {
      const path = pathBelow(base, textOf(objectOf(objectOf(manifest)['dist'])['tarball']) ?? '');
      const { deprecated } = objectOf(manifest);
      const withdrawn = typeof deprecated === 'string' && deprecated !== '' ? deprecated : null;
      return { version, files: path === null ? [] : [path], withdrawn };
    });
  },
  home: tarballsOf,
  place: (item, view) => {
    if (isPlainPart(item.fileName)) return `${tarballsOf(item, view)}${item.fileName}`;
    throw noPlace(view, item, { why: `${item.fileName} is not a file name`, fix: 'Rename the artifact' });
  },
  list: (parcels, places, view) =>
    parcels.map((parcel, at) => {
      let pointed: { pointer: string; from: string | null } | null = null;
      return {
        path: documentOf(parcel, view),
        change: (before) => {
          const document = before === null ? {} : documentIn(before, documentOf(parcel, view), view);
          const tags = objectOf(document['dist-tags']);
          const pointer = pointerFor(parcel.version, parcel.stream, Object.keys(objectOf(document['versions'])));
          pointed = { pointer, from: textOf(tags[pointer]) };
          return withVersion(document, { parcel, pointer, place: places[at] ?? '' }, view);
        },
        pointer: () => pointed,
      } satisfies IndexChange;
    }),
  takeBack: (subject, { erase, reason, places }, view) =>
    erase
      ? {
          changes: dropping(subject, new Set([subject.version]), view),
          removes: places,
          how: 'deleted',
          limits: 'copies that others took are not called back',
        }
      : {
          changes: [deprecating(subject, reason, view)],
          removes: [],
          how: 'deprecated',
          limits: 'a deprecation is only a warning: the version can still be installed',
        },
  drop: dropping,
  fallBack: (subject, to, view) => {
    const tagsOf = (document: Document) => Object.entries(objectOf(document['dist-tags']));
    const change = (document: Document) => {
      if (objectOf(document['versions'])[to.version] === undefined)
        throw notAnIndex(view, documentOf(subject, view), `does not list ${to.version}`);
      const tags = tagsOf(document).map(([tag, at]) => [tag, at === subject.version ? to.version : at]);
      return { ...document, 'dist-tags': Object.fromEntries(tags) };
    };
    const pointer = (document: Document) => {
      const [found] = tagsOf(document).find(([, at]) => at === subject.version) ?? [];
      return found === undefined ? null : { pointer: found, from: subject.version };
    };
    return [edit(subject, view, { change, pointer })];
  },
  refersTo: (path, text) => {
    const document = path.startsWith('_tarballs/') || path.endsWith('.txt') ? null : parseDocument(text);
    return document === null
      ? null
      : Object.values(objectOf(document['versions'])).flatMap((manifest) => {
          const tarball = textOf(objectOf(objectOf(manifest)['dist'])['tarball']) ?? '';
          const at = tarball.indexOf('/_tarballs/');
          return at === -1 ? [] : [decodeURIComponent(tarball.slice(at + 1))];
        });
  },
};

/** The client asks for `@scope%2fname`, which every server that serves files takes for a file in a folder. */
function documentOf(subject: LayoutSubject, view: LayoutView): string {
  const { name } = subject;
  if (/^(?:@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*$/i.test(name)) return name;
  throw noPlace(view, subject, { why: `${name} is not a name of a package for npm`, fix: 'Correct its name' });
}

function tarballsOf(subject: LayoutSubject, view: LayoutView): string {
  return `_tarballs/${documentOf(subject, view)}/`;
}

function parseDocument(text: string): Document | null {
  const document = objectOf(jsonOrNull(text));
  return typeof document['versions'] === 'object' ? document : null;
}

function documentIn(text: string, path: string, view: LayoutView): Document {
  const document = parseDocument(text);
  if (document === null) throw notAnIndex(view, path, 'is not the document of a package');
  return document;
}

function withVersion(
  document: Document,
  { parcel, pointer, place }: { readonly parcel: LayoutParcel; readonly pointer: string; readonly place: string },
  view: LayoutView,
): string | null {
  const { name, version, sha1, sha512, manifest } = parcel;
  const versions = objectOf(document['versions']);
  const integrity = integrityOf(sha512);
  const there = objectOf(versions[version]);
  if (versions[version] !== undefined && textOf(objectOf(there['dist'])['integrity']) !== integrity)
    throw listedOtherwise(view, parcel);
  const tags = objectOf(document['dist-tags']);
  if (versions[version] !== undefined && tags[pointer] === version) return null;
  const scripts = objectOf(manifest?.['scripts']);
  const hasInstall = ['preinstall', 'install', 'postinstall'].some((script) => scripts[script] !== undefined);
  const tarball = `${view.base}${place.split('/').map(encodeTarballPart).join('/')}`;
  const entry = {
    ...manifest,
    name,
    version,
    _id: `${name}@${version}`,
    ...(hasInstall ? { hasInstallScript: true } : {}),
    dist: { integrity, shasum: sha1, tarball },
  };
  const now = view.now.toISOString();
  const time = objectOf(document['time']);
  return write({
    ...document,
    _id: name,
    name,
    ...(pointer === 'latest' && typeof manifest?.['description'] === 'string'
      ? { description: manifest['description'] }
      : {}),
    'dist-tags': { ...tags, [pointer]: version },
    versions: versions[version] === undefined ? { ...versions, [version]: entry } : versions,
    time: { created: now, ...time, modified: now, [version]: time[version] ?? now },
  });
}

const encodeTarballPart = (part: string) => encodeURIComponent(part).replaceAll('%40', '@');

const write = (document: Document) => `${JSON.stringify(document)}\n`;

type DocumentEdit = {
  readonly change: (document: Document) => Document;
  readonly pointer?: (document: Document) => { pointer: string; from: string | null } | null;
};

function edit(subject: LayoutSubject, view: LayoutView, { change, pointer = () => null }: DocumentEdit): IndexChange {
  const path = documentOf(subject, view);
  return {
    path,
    change: (before) => {
      if (before === null) return null;
      const document = documentIn(before, path, view);
      const after = change(document);
      return JSON.stringify(after) === JSON.stringify(document)
        ? null
        : write({ ...after, time: { ...objectOf(after['time']), modified: view.now.toISOString() } });
    },
    pointer: (before) => (before === null ? null : pointer(documentIn(before, path, view))),
  };
}

function deprecating(subject: LayoutSubject, reason: string, view: LayoutView): IndexChange {
  const change = (document: Document) => {
    const versions = objectOf(document['versions']);
    const own = versions[subject.version];
    if (own === undefined) return document;
    return { ...document, versions: { ...versions, [subject.version]: { ...objectOf(own), deprecated: reason } } };
  };
  return edit(subject, view, { change });
}

/** Tags that led to a version that is dropped go with it. */
function dropping(subject: LayoutSubject, gone: ReadonlySet<string>, view: LayoutView): IndexChange[] {
  const rest = (value: unknown, isGone: (key: string, item: unknown) => boolean) =>
    Object.fromEntries(Object.entries(objectOf(value)).filter(([key, item]) => !isGone(key, item)));
  const change = (document: Document) => ({
    ...document,
    'dist-tags': rest(document['dist-tags'], (_, version) => gone.has(String(version))),
    versions: rest(document['versions'], (version) => gone.has(version)),
    time: rest(document['time'], (version) => gone.has(version)),
  });
  return [edit(subject, view, { change })];
}
