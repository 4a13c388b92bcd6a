import { packageOfPath } from '../../facts/bundled.ts';
import { type Artifact, insidePath } from '../../form/artifact.ts';
import { formsBut } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const bundledLicenceMissing: Rule = {
  id: 'metadata/bundled-licence-missing',
  forms: formsBut('spdx', 'cyclonedx'),
  severity: 'warn',
  needsWhole: true,
  what: 'Bundled third-party code comes with its licence text',
  why: 'Bundled code keeps its licence, and most licences require their text in every copy',
  fix: 'Make the build write a notices file with the licence text of each bundled package, and include it in the artifact',
  example: 'dist/index.js with the comment "// node_modules/tide-table/index.js" and no licence text of tide-table',
  check: (artifact) => {
    const places = new Map<string, Bundled>();
    for (const other of codeOfOthers(artifact)) if (!places.has(other.name)) places.set(other.name, other);
    const isCovered = coverage(artifact);
    const found = [...places.values()].filter(({ name }) => !isCovered(name));
    const shown = found.slice(0, most).map(({ name, path, notice }): RawFinding => {
      const what = notice === undefined ? name : `third-party code ("${notice.slice(0, 60)}")`;
      return { path, message: `contains ${what} without its licence text` };
    });
    if (found.length <= most) return shown;
    return [
      ...shown,
      { path: null, message: `${found.length - most} more bundled packages have no licence text in the artifact` },
    ];
  },
};

const most = 5;

type Bundled = {
  readonly name: string;
  readonly path: string;
  /** The licence comment that the name was taken from. */
  readonly notice?: string;
};

function codeOfOthers(artifact: Artifact): Bundled[] {
  const { facts, entries } = artifact;
  const inBundles = [...facts.bundled].flatMap(([path, { packages, notices }]) => [
    ...packages.map((name) => ({ name, path })),
    ...notices.flatMap((notice) => (isOwn(notice, artifact) ? [] : [{ name: subjectOf(notice), path, notice }])),
  ]);
  const inMaps = [...facts.maps].flatMap(([path, map]) =>
    (map?.sources ?? []).flatMap((source) => {
      const name = packageOfPath(source);
      return name === null ? [] : [{ name, path }];
    }),
  );
  const inFolders = entries.flatMap(({ path, type }) => {
    const name = type === 'file' ? vendored.exec(path)?.[1] : undefined;
    return name === undefined ? [] : [{ name, path }];
  });
  return [...inBundles, ...inMaps, ...inFolders, ...inJar(artifact)].filter(
    ({ name }) => name !== artifact.manifest?.common.name,
  );
}

/** Folders with this name hold code of others, a folder each. */
const vendored =
  /(?:^|\/)(?:node_modules|_?vendor(?:ed)?|third[_-]party)\/((?:@[^/]+\/)?[^/@.][^/]*)\/(?:.*\/)?[^/]+\.(?:[cm]?js|py|c|cc|cpp|h|java|cs)$/;

/** Each library that a jar was merged from leaves its coordinates in it; the file name says which ones are the jar's own. */
function inJar({ entries, fileName }: Artifact): Bundled[] {
  return entries.flatMap(({ path }) => {
    const name = /^META-INF\/maven\/[^/]+\/([^/]+)\/pom\.(?:xml|properties)$/.exec(path)?.[1];
    return name === undefined || fileName.startsWith(`${name}-`) ? [] : [{ name, path }];
  });
}

/** Whether a licence comment is the artifact's own: it names the package, or the holder that the package's licence names. */
function isOwn(notice: string, { manifest, texts, prefix }: Artifact): boolean {
  const own = manifest?.common.name?.split(/[/:]/).at(-1);
  if (own !== undefined && mentions(notice, own)) return true;
  const licences = [...texts].filter(([path]) =>
    /^(?:.*\.dist-info\/(?:licen[cs]es\/)?)?licen[cs]e[^/]*$/i.test(insidePath(path, prefix)),
  );
  return licences.some(([, text]) => holdersOf(text).some((holder) => notice.toLowerCase().includes(holder)));
}

/** Those who have the copyright by a licence text, in small letters. */
function holdersOf(text: string): string[] {
  return [...text.matchAll(/copyright(?:[\s\d,–©-]|\(c\))*(?:by )?([^\n.<(]{3,80})/gi)].flatMap(([, holder = '']) => {
    const name = holder.trim().toLowerCase();
    return name.length < 3 || /^(?:notice|holder|owner|law|licen)/.test(name) ? [] : [name];
  });
}

/** The name in a licence comment: its first word that is one. */
function subjectOf(notice: string): string {
  const words =
    notice.replace(/@(?:licen[cs]e|preserve|copyright|author|version|module)\b/g, ' ').match(/@?[A-Za-z][\w@/.-]+/g) ??
    [];
  return words.find((word) => !commonWord.test(word))?.replace(/[.@]+$/, '') ?? notice.slice(0, 40);
}

const commonWord =
  /^(?:copyright|licen[cs]ed?|the|this|by|under|and|mit|isc|bsd|apache|mpl|gpl|lgpl|all|rights|reserved|for|information|please|see|https?|of|file|module|bundled?|includes?|contains?|version|code|some|portions?|based|from|[a-z]\w{0,1})$/i;

/** Whether a licence text of a package is inside: in its own folder, in a file of its name, or in a file that names it. */
function coverage({ entries, texts }: Artifact): (name: string) => boolean {
  const files = entries.flatMap(({ path, sizeBytes }) => (sizeBytes > 0 && isLicencePath(path) ? [path] : []));
  // Once for all names: a file of notices may have megabytes.
  const lower = files.map((path) => path.toLowerCase());
  const named = [...texts].flatMap(([path, text]) => (isLicencePath(path) ? [text.toLowerCase()] : []));
  return (name) => {
    const wanted = name.toLowerCase();
    return (
      files.some((path) => path.includes(`/${name}/`)) ||
      lower.some((path) => hasWord(path, wanted)) ||
      named.some((text) => hasWord(text, wanted))
    );
  };
}

function isLicencePath(path: string): boolean {
  return (
    /(?:licen[cs]es?|notices?|third[_-]?party|copying)(?:[^/]*|\/[^/]+)$|\.dist-info\/licen[cs]es\//i.test(path) &&
    !/\.(?:[cm]?[jt]s|py|class|java|map)$/.test(path)
  );
}

/** Whether a text has a name as a word of its own, whatever their case. */
function mentions(text: string, name: string): boolean {
  return hasWord(text.toLowerCase(), name.toLowerCase());
}

function hasWord(inside: string, wanted: string): boolean {
  for (let at = inside.indexOf(wanted); at !== -1; at = inside.indexOf(wanted, at + 1)) {
    const isWord = (letter: string | undefined) => letter !== undefined && /[\w-]/.test(letter);
    if (!isWord(inside[at - 1]) && !isWord(inside[at + wanted.length])) return true;
  }
  return false;
}
