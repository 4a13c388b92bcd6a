import { objectOf, textOf } from '../../manifest/fields.ts';
import { escapePath, whyNotModulePath, whyWrongPath } from '../../manifest/module-path.ts';
import { jsonOrNull } from '../../text/json.ts';
import { compareVersions, isNormal, isVersion } from '../../version/version.ts';
import {
  type IndexChange,
  type Layout,
  type LayoutSubject,
  type LayoutView,
  noPlace,
  notAnIndex,
  plainLayout,
} from '../layout.ts';

/** A module proxy as files (Go Modules Reference, "GOPROXY protocol", "Serving modules directly from a proxy"). */
export const goProxy: Layout = {
  ...plainLayout,
  besideEndings: ['~.info', '~.mod'],
  index: (subject, view) => `${folderOf(subject, view)}list`,
  spelt,
  asVersion: (spelt) => (isVersion(spelt.slice(1)) ? spelt.slice(1) : null),
  read: (text, { name }) => {
    const versions = versionsIn(text);
    const folder = `${escapePath(name)}/@v/`;
    return (
      versions?.map((version) => ({ version, files: [`${folder}${escapePath(version)}.zip`], withdrawn: null })) ?? null
    );
  },
  home: folderOf,
  place: (item, view) => `${stemOf(item, view)}.zip`,
  beside: (parcel, place) => {
    const stem = place.replace(/\.zip$/, '');
    return [
      { path: `${stem}.mod`, content: { text: parcel.manifestText ?? '' } },
      { path: `${stem}.info`, content: { text: infoOf(spelt(parcel), parcel.sourceTime) } },
    ];
  },
  list: (parcels, _places, view) => {
    const [parcel] = parcels;
    if (parcel === undefined) return [];
    const own = spelt(parcel);
    return [
      listChange(parcel, view, (versions) => (versions.includes(own) ? versions : [...versions, own])),
      {
        path: latestOf(parcel, view),
        change: (before) => {
          const there = latestIn(before);
          if (before !== null && there === null) throw notAnIndex(view, latestOf(parcel, view), 'names no version');
          if (there !== null && !isLater(parcel.version, there)) return null;
          return infoOf(own, parcel.sourceTime);
        },
        pointer: (before) => ({ pointer: '@latest', from: latestIn(before) }),
      },
    ];
  },
  takeBack: (subject, { erase, places }, view) => {
    const changes = dropping(subject, new Set([spelt(subject)]), view);
    const files = places.flatMap((place) => ['.zip', '.mod', '.info'].map((ending) => place.replace(/\.zip$/, ending)));
    return erase
      ? { changes, removes: files, how: 'deleted', limits: 'copies in module caches and other proxies stay' }
      : {
          changes,
          removes: [],
          how: 'taken off the list',
          limits: 'modules that require it still get it; a `retract` line warns them from the next version on',
        };
  },
  drop: dropping,
  fallBack: (subject, to, view) => [
    {
      path: latestOf(subject, view),
      change: (before) => (latestIn(before) === subject.version ? infoOf(spelt(to), null) : null),
      pointer: (before) =>
        latestIn(before) === subject.version ? { pointer: '@latest', from: subject.version } : null,
    },
  ],
  refersTo: (path, text) => {
    const list = /^(.+)\/@v\/list$/.exec(path)?.[1];
    if (list !== undefined)
      return (versionsIn(text) ?? []).flatMap((version) =>
        ['.info', '.mod', '.zip'].map((ending) => `${list}/@v/${escapePath(version)}${ending}`),
      );
    const latest = /^(.+)\/@latest$/.exec(path)?.[1];
    const version = latestIn(text);
    return latest === undefined ? null : version === null ? [] : [`${latest}/@v/${escapePath(`v${version}`)}.zip`];
  },
};

function spelt({ version }: Pick<LayoutSubject, 'version'>): string {
  return `v${version}`;
}

function folderOf(subject: LayoutSubject, view: LayoutView): string {
  const { name } = subject;
  const why = whyNotModulePath(name);
  if (why === null) return `${escapePath(name)}/@v/`;
  throw wrongPath(subject, view, why);
}

function wrongPath(subject: LayoutSubject, view: LayoutView, why: string): Error {
  return noPlace(view, subject, {
    why: `${subject.name} cannot be the path of this module: ${why}`,
    fix: 'Correct `module` in its go.mod',
  });
}

/** A file lies only where the path fits the version; a question about the package needs no version yet. */
function stemOf(subject: LayoutSubject, view: LayoutView): string {
  const why = whyWrongPath(subject.name, subject.version);
  if (why !== null) throw wrongPath(subject, view, why);
  return `${folderOf(subject, view)}${escapePath(spelt(subject))}`;
}

function latestOf(subject: LayoutSubject, view: LayoutView): string {
  return folderOf(subject, view).replace(/@v\/$/, '@latest');
}

/** `Time` is that of the commit, in UTC (the `.info` of the protocol). */
function infoOf(version: string, sourceTime: number | null): string {
  const time = sourceTime === null ? {} : { Time: new Date(sourceTime * 1000).toISOString().replace('.000Z', 'Z') };
  return `${JSON.stringify({ Version: version, ...time })}\n`;
}

/** The version that `@latest` names, without its `v`; null for none. */
function latestIn(text: string | null): string | null {
  const found = text === null ? null : textOf(objectOf(jsonOrNull(text))['Version']);
  return found !== null && isVersion(found.replace(/^v/, '')) ? found.replace(/^v/, '') : null;
}

/** A release is later than every prerelease ("Version queries", `latest`). */
function isLater(version: string, there: string): boolean {
  if (isNormal(version) !== isNormal(there)) return isNormal(version);
  return compareVersions(version, there) > 0;
}

/** One version a line; null for a text that is something else. */
function versionsIn(text: string): string[] | null {
  const lines = text.split(/\r?\n/).filter((line) => line !== '');
  return lines.every((line) => /^v\d/.test(line) && isVersion(line.slice(1))) ? lines : null;
}

function listChange(
  subject: LayoutSubject,
  view: LayoutView,
  change: (versions: readonly string[]) => readonly string[],
): IndexChange {
  const path = `${folderOf(subject, view)}list`;
  return {
    path,
    change: (before) => {
      const versions = before === null ? [] : versionsIn(before);
      if (versions === null) throw notAnIndex(view, path, 'is not a list of versions');
      const after = change(versions);
      return after.length === versions.length ? null : after.map((version) => `${version}\n`).join('');
    },
  };
}

/** `@latest` leads to the highest that is left; where none is left it goes. */
function dropping(subject: LayoutSubject, gone: ReadonlySet<string>, view: LayoutView): IndexChange[] {
  let left: readonly string[] = [];
  return [
    listChange(subject, view, (versions) => {
      left = versions.filter((version) => !gone.has(version));
      return left;
    }),
    {
      path: latestOf(subject, view),
      change: (before) => {
        const there = latestIn(before);
        if (there === null || !gone.has(`v${there}`)) return null;
        const [highest] = left.map((version) => version.slice(1)).sort((a, b) => (isLater(a, b) ? -1 : 1));
        return highest === undefined ? null : infoOf(`v${highest}`, null);
      },
      isOver: () => left.length === 0,
    },
  ];
}
