import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parseYaml } from '../../manifest/yaml.ts';
import { hexDigest, integrityDigests } from '../digest.ts';
import type { DependencyKind, Digest } from '../sbom.ts';
import {
  type DependencyReader,
  type DependencyReading,
  type LockedPackage,
  lockedPackage,
  type Need,
  type ReadingContext,
} from './reading.ts';

/** `yarn.lock` of both generations: the older text format, and YAML with `__metadata`. */
export const readYarnLock: DependencyReader = (text, context) =>
  /^__metadata:/m.test(text) ? readSecond(text, context) : readFirst(text, context);

/** Which locked package a name and a range stand for. */
type Find = (name: string, range: string) => string | null;

function readFirst(text: string, context: ReadingContext): DependencyReading {
  const blocks = parseBlocks(text);
  const keys = new Map(blocks.flatMap(({ patterns, key }) => patterns.map((pattern) => [pattern, key] as const)));
  const find: Find = (name, range) => keys.get(`${name}@${range}`) ?? null;
  const packages = blocks.map(({ key, patterns, fields, needs }) => {
    const [url = '', sha1] = (fields['resolved'] ?? '').split('#');
    const own: Digest | null = sha1 === undefined ? null : hexDigest('sha1', sha1);
    return lockedPackage({
      key,
      type: 'npm',
      name: realName(patterns[0] ?? ''),
      version: fields['version'] ?? null,
      digests: [...integrityDigests(fields['integrity'] ?? null), ...(own === null ? [] : [own])],
      location: url === '' ? null : url,
      needs: needs.flatMap(([name, range, kind]) => toNeed(find(name, range), kind)),
    });
  });
  return { format: 'yarn lockfile 1', packages: dedupe(packages), roots: rootsOf(context, find), unknown: [] };
}

function readSecond(text: string, context: ReadingContext): DependencyReading {
  const lock = parseYaml(text, context.file, context.yamlBytes);
  const entries = Object.entries(lock).filter(([key]) => key !== '__metadata');
  const keys = new Map(entries.flatMap(([key]) => key.split(/,\s*/).map((pattern) => [pattern, key] as const)));
  const find: Find = (name, range) => keys.get(`${name}@${range}`) ?? keys.get(`${name}@npm:${range}`) ?? null;
  const packages = entries.flatMap(([key, value]) => {
    const entry = objectOf(value);
    const resolution = textOf(entry['resolution']) ?? key;
    if (/@(?:workspace|link|portal):/.test(resolution)) return [];
    const needs = (['dependencies', 'optionalDependencies'] as const).flatMap((field) =>
      Object.entries(objectOf(entry[field])).flatMap(([name, range]) =>
        toNeed(find(name, shownText(range)), field === 'dependencies' ? 'run' : 'optional'),
      ),
    );
    // Its checksum is of the client's own repacked archive, not of what a registry serves.
    return [
      lockedPackage({
        key,
        type: 'npm',
        name: resolution.slice(0, resolution.indexOf('@', 1)),
        version: entry['version'] === undefined ? null : shownText(entry['version']),
        needs,
      }),
    ];
  });
  const format = `yarn lockfile ${objectOf(lock['__metadata'])['version'] ?? 2}`;
  return { format, packages, roots: rootsOf(context, find), unknown: [] };
}

/** The lockfile does not say who needs what directly: the manifests do. */
function rootsOf({ manifests }: ReadingContext, find: Find): Map<string, Need[]> {
  const kinds: Readonly<Record<string, DependencyKind>> = {
    run: 'run',
    peer: 'peer',
    build: 'build',
    development: 'development',
  };
  return new Map(
    [...manifests].map(([folder, { dependencies }]) => [
      folder,
      dependencies.flatMap(({ name, range, kind }) => toNeed(find(name, range), kinds[kind] ?? 'run')),
    ]),
  );
}

function toNeed(key: string | null, kind: DependencyKind): Need[] {
  return key === null ? [] : [{ key, kind }];
}

/** `alias@npm:real@range` is a package under another name. */
function realName(pattern: string): string {
  const aliased = /@npm:((?:@[^/]+\/)?[^@]+)@/.exec(pattern)?.[1];
  return aliased ?? pattern.slice(0, pattern.indexOf('@', 1));
}

function dedupe(packages: readonly LockedPackage[]): LockedPackage[] {
  return [...new Map(packages.map((pkg) => [pkg.key, pkg])).values()];
}

type Block = {
  key: string;
  patterns: string[];
  fields: Record<string, string>;
  needs: [string, string, DependencyKind][];
};

/** The older format: a line of patterns, fields indented by two, needs by four. */
function parseBlocks(text: string): Block[] {
  const blocks: Block[] = [];
  let table: DependencyKind | null = null;
  for (const line of text.split(/\r?\n/)) {
    if (line.trim() === '' || line.startsWith('#')) continue;
    const block = blocks.at(-1);
    if (!line.startsWith(' ')) {
      const patterns = line.replace(/:$/, '').split(/,\s*/).map(unquote);
      blocks.push({ key: patterns[0] ?? '', patterns, fields: {}, needs: [] });
      table = null;
    } else if (/^ {4}\S/.test(line)) {
      const match = /^\s+("(?:[^"\\]|\\.)*"|\S+)\s+(.+)$/.exec(line);
      if (table !== null && match !== null)
        block?.needs.push([unquote(match[1] ?? ''), unquote(match[2] ?? ''), table]);
    } else {
      const opened = /^ {2}(dependencies|optionalDependencies):$/.exec(line)?.[1];
      table = opened === undefined ? null : opened === 'dependencies' ? 'run' : 'optional';
      const match = /^ {2}(\w+)\s+(.+)$/.exec(line);
      if (match !== null && block !== undefined) block.fields[match[1] ?? ''] = unquote(match[2] ?? '');
    }
  }
  return blocks;
}

function unquote(text: string): string {
  return text.trim().replace(/^"(.*)"$/, '$1');
}
