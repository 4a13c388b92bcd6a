import { objectOf, textOf } from './fields.ts';
import type { ManifestDependency, ManifestFormat } from './package-manifest.ts';
import { editTomlLines, parseToml } from './toml.ts';

const tables = [
  ['dependencies', 'run'],
  ['build-dependencies', 'build'],
  ['dev-dependencies', 'development'],
] as const;

/** `Cargo.toml` of one crate (The Cargo Book, "The Manifest Format"). */
export const cargoFormat: ManifestFormat = {
  read: (text, file) => {
    const document = parseToml(text, file);
    const crate = objectOf(document['package']);
    return {
      name: textOf(crate['name']),
      version: textOf(crate['version']),
      description: textOf(crate['description']),
      licence: textOf(crate['license']),
      dependencies: tables.flatMap(([table, kind]) =>
        Object.entries(objectOf(document[table])).map(([name, value]): ManifestDependency => {
          const isOptional = objectOf(value)['optional'] === true;
          return { name, range: rangeOf(value), kind, ...(isOptional ? { isOptional } : {}) };
        }),
      ),
      unpublished: targetNeeds(document),
    };
  },
  stamp: (text, { version, ranges }) =>
    editTomlLines(
      text,
      (header) => header === 'package' || tables.some(([table]) => header === table || header.startsWith(`${table}.`)),
      (line, header) => {
        if (header === 'package')
          return version !== null && /^\s*version\s*=/.test(line) ? replaceText(line, version) : line;
        const own = header.split('.')[1];
        const key = /^\s*["']?([\w-]+)["']?\s*=/.exec(line)?.[1];
        const change = ranges.find(({ name }) => name === (own ?? key));
        if (change === undefined || (own !== undefined && key !== 'version')) return line;
        return line.includes('{')
          ? line.replace(/version\s*=\s*(["']).*?\1/, (part) => replaceText(part, change.to))
          : replaceText(line, change.to);
      },
    ),
};

/** What is needed on some platforms only (The Cargo Book, "Platform specific dependencies"). */
function targetNeeds(document: Readonly<Record<string, unknown>>): ManifestDependency[] {
  return Object.values(objectOf(document['target'])).flatMap((target) =>
    tables.flatMap(([table, kind]) =>
      Object.entries(objectOf(objectOf(target)[table])).map(([name, value]) => ({ name, range: rangeOf(value), kind })),
    ),
  );
}

function replaceText(line: string, value: string): string {
  return line.replace(/(=\s*)(["']).*?\2/, (_, lead: string, quote: string) => `${lead}${quote}${value}${quote}`);
}

/** A path without a version is the workspace's own copy: an empty range. */
function rangeOf(value: unknown): string {
  return textOf(value) ?? textOf(objectOf(value)['version']) ?? '';
}
