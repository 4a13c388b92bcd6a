/** What a file's comments say of code that others wrote. */
export type BundledFacts = {
  /** Names of packages whose files a bundler put here. */
  readonly packages: readonly string[];
  /** Beginnings of licence comments that do not hold the licence's text; at most 300 characters each. */
  readonly notices: readonly string[];
};

/** Bundlers name each file that they take: alone on a line, or as the key of its function. */
const inputPath = /^[ \t]*(?:\/\/ |"|\/\*{1,3}\/ "|!\*{3} )(?:\.{1,2}\/)*(node_modules\/[^\s"]+)(?:"?:.*| \*{3}!?)?$/gm;

/** Words with which a licence's own text begins. */
const licenceText =
  /permission (?:is hereby granted|to use, copy)|redistribution and use in source|everyone is permitted/i;

/** Reads the comments of a script or a style sheet; null when none is about code of others. */
export function readBundled(text: string): BundledFacts | null {
  const packages = new Set<string>();
  for (const [, path = ''] of text.matchAll(inputPath)) {
    const name = packageOfPath(path);
    if (name !== null) packages.add(name);
  }
  const notices = licenceComments(text);
  return packages.size + notices.length === 0 ? null : { packages: [...packages], notices };
}

/** The package that a path below `node_modules` belongs to; null for any other path. */
export function packageOfPath(path: string): string | null {
  const at = path.lastIndexOf('node_modules/');
  if (at === -1) return null;
  return /^((?:@[\w.~-]+\/)?[\w.~-]+)\/./.exec(path.slice(at + 'node_modules/'.length))?.[1] ?? null;
}

/** Minifiers keep comments that begin with `!` or have `@license` or `@preserve`. */
function licenceComments(text: string): string[] {
  const found: string[] = [];
  for (let at = text.indexOf('/*'); at !== -1; at = text.indexOf('/*', at)) {
    const end = text.indexOf('*/', at + 2);
    if (end === -1) break;
    const comment = text.slice(at + 2, end);
    at = end + 2;
    const isKept = comment.startsWith('!') || /@licen[cs]e|@preserve/.test(comment);
    const isAboutLicence = /licen[cs]e|copyright|\(c\) |©|\b(?:MIT|ISC|BSD|Apache|MPL|L?GPL)\b/i.test(comment);
    if (!isKept || !isAboutLicence || licenceText.test(comment)) continue;
    const plain = comment
      .replace(/^!/, '')
      .replace(/^[ \t]*\*/gm, '')
      .replace(/\s+/g, ' ')
      .trim();
    if (plain !== '') found.push(plain.slice(0, 300));
    if (found.length === maxNotices) break;
  }
  return found;
}

const maxNotices = 200;
