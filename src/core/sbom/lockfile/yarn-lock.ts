import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { isOptionalPeer } from '../../manifest/package-json.ts';
import type { ManifestDependency } from '../../manifest/package-manifest.ts';
import { parseYaml } from '../../manifest/yaml.ts';
import { jsonOrNull } from '../../text/json.ts';
import { checkedIntegrity, hexDigest } from '../digest.ts';
import type { DependencyKind, Digest } from '../sbom.ts';
import { npmRepository } from './npm-lock.ts';
import {
  type DependencyReader,
  type DependencyReading,
  dependencyReading,
  kindOf,
  type LockedPackage,
  lockedPackage,
  memberKey,
  type Need,
  needsIn,
  type ReadingContext,
  repositoryQualifiers,
} from './reading.ts';

/** `yarn.lock` of both generations: the older text format, and YAML with `__metadata`. */
export const readYarnLock: DependencyReader = (text, context) => {
  if (/^__metadata:/m.test(text)) return readSecond(text, context);
  return /^# yarn lockfile v1\s*$/m.test(text) || !/^# yarn lockfile v/m.test(text) ? readFirst(text, context) : null;
};

/** Which locked package a name and a range stand for. */
type Find = (name: string, range: string) => string | null;

function readFirst(text: string, context: ReadingContext): DependencyReading {
  const { blocks, odd } = parseBlocks(text);
  const keys = new Map(blocks.flatMap(({ patterns, key }) => patterns.map((pattern) => [pattern, key] as const)));
  const find: Find = (name, range) => keys.get(`${name}@${range}`) ?? null;
  const unknown = odd.map((line) => `${context.file} has a line ${line} that no reader of this format knows`);
  const packages = blocks.map(({ key, patterns, fields, needs }) => {
    const [url = '', sha1] = (fields['resolved'] ?? '').split('#');
    const own: Digest | null = sha1 === undefined ? null : hexDigest('sha1', sha1);
    const { digests, badDigest } = checkedIntegrity(fields['integrity'] ?? null);
    for (const [name, range, kind] of needs)
      if (kind === 'run' && find(name, range) === null)
        unknown.push(`${context.file} has no entry for ${name}@${range}, which ${key} needs`);
    return lockedPackage({
      key,
      type: 'npm',
      name: realName(patterns[0] ?? ''),
      version: fields['version'] ?? null,
      qualifiers: npmRepository(fields['resolved'] ?? null),
      // Behind the address of a repository stands its commit, which is no digest of an archive.
      digests: [...digests, ...(own === null || url.startsWith('git') ? [] : [own])],
      badDigest,
      location: url === '' ? null : url,
      needs: needs.flatMap(([name, range, kind]) => toNeed(find(name, range), kind)),
    });
  });
  return dependencyReading({
    format: 'yarn lockfile 1',
    packages: dedupe(packages),
    roots: rootsOf(context, find),
    asked: askedOf(context, find),
    unknown,
  });
}

function readSecond(text: string, context: ReadingContext): DependencyReading {
  const lock = parseYaml(text, context.file, context.yamlBytes);
  const entries = Object.entries(lock).filter(([key]) => key !== '__metadata');
  const keys = new Map<string, string>();
  const byName = new Map<string, string[]>();
  for (const [key, value] of entries) {
    const folder = /@workspace:(.*)$/.exec(textOf(objectOf(value)['resolution']) ?? '')?.[1];
    const to = folder === undefined ? key : memberKey(folder === '.' ? '' : folder);
    for (const pattern of key.split(/,\s*/)) keys.set(pattern, to);
    const name = key.slice(0, key.indexOf('@', 1));
    byName.set(name, [...(byName.get(name) ?? []), to]);
  }
  const resolved = resolvedNames(context);
  const find: Find = (name, range) =>
    keys.get(`${name}@${range}`) ??
    keys.get(`${name}@npm:${range}`) ??
    (resolved.has(name) ? (byName.get(name)?.[0] ?? null) : null);
  // Peers stand in no entry of their own: what the workspace has by this name is what they get.
  const findPeer = (name: string) => {
    const found = byName.get(name) ?? [];
    return found.length === 1 ? (found[0] ?? null) : null;
  };
  const unknown: string[] = [];
  const packages = entries.flatMap(([key, value]) => {
    const entry = objectOf(value);
    const resolution = textOf(entry['resolution']) ?? key;
    if (/@(?:workspace|link|portal):/.test(resolution)) return [];
    const name = resolution.slice(0, resolution.indexOf('@', 1));
    const { needs, absent } = secondNeeds(entry, find, findPeer);
    for (const other of absent) unknown.push(`${context.file} has no entry for ${other}, which ${name} needs`);
    // Its checksum is of the client's own repacked archive, not of what a registry serves.
    return [
      lockedPackage({
        key,
        type: 'npm',
        name,
        version: entry['version'] === undefined ? null : shownText(entry['version']),
        qualifiers: secondRepository(resolution.slice(name.length + 1)),
        needs,
        comment: resolution.includes('@patch:') ? 'changed by a patch of the workspace' : null,
      }),
    ];
  });
  const version = shownText(objectOf(lock['__metadata'])['version'] ?? 2);
  return dependencyReading({
    format: `yarn lockfile ${version}`,
    packages,
    roots: rootsOf(context, find),
    asked: askedOf(context, find),
    unknown,
  });
}

/** Names whose range `resolutions` in the manifest at the root replaces: the lockfile has the other range alone. */
function resolvedNames({ beside }: ReadingContext): Set<string> {
  const text = beside('package.json');
  const json = text === null ? {} : objectOf(jsonOrNull(text));
  const patterns = Object.keys(objectOf(json['resolutions']));
  return new Set(patterns.flatMap((pattern) => /((?:@[^/@]+\/)?[^/@]+)(?:@[^/]*)?$/.exec(pattern)?.[1] ?? []));
}

/** `https://host/repository.git#commit=…` as the second generation writes it. */
function secondRepository(reference: string): Readonly<Record<string, string>> {
  const [, address, commit] = /^([^#]+)#commit=([0-9a-f]{7,64})/.exec(reference) ?? [];
  return address === undefined ? {} : repositoryQualifiers(address, commit ?? null);
}

function secondNeeds(
  entry: Readonly<Record<string, unknown>>,
  find: Find,
  findPeer: (name: string) => string | null,
): { readonly needs: Need[]; readonly absent: string[] } {
  const absent: string[] = [];
  const optional = objectOf(entry['dependenciesMeta']);
  const needs = (['dependencies', 'optionalDependencies'] as const).flatMap((field) =>
    Object.entries(objectOf(entry[field])).flatMap(([name, range]) => {
      const isOptional = field === 'optionalDependencies' || objectOf(optional[name])['optional'] === true;
      const key = find(name, shownText(range));
      if (key === null && !isOptional) absent.push(`${name}@${shownText(range)}`);
      return toNeed(key, isOptional ? 'optional' : 'run');
    }),
  );
  const peers = Object.keys(objectOf(entry['peerDependencies'])).flatMap((name) =>
    toNeed(findPeer(name), isOptionalPeer(entry, name) ? 'optional' : 'peer'),
  );
  return { needs: [...needs, ...peers], absent };
}

/** The lockfile does not say who needs what directly: the manifests do. */
function rootsOf({ manifests }: ReadingContext, find: Find): Map<string, Need[]> {
  const members = new Map([...manifests].map(([folder, { name }]) => [name, folder] as const));
  // The first generation has no entries for packages of the workspace.
  const locate = (name: string, range: string) => {
    const folder = members.get(name);
    return find(name, range) ?? (folder === undefined ? null : memberKey(folder));
  };
  return new Map(
    [...manifests].map(([folder, manifest]) => [
      folder,
      needsIn(manifest).flatMap((need) => toNeed(locate(need.name, need.range), kindOf(need))),
    ]),
  );
}

/** An entry is found by name and range: what is found was asked for like this. */
function askedOf({ manifests }: ReadingContext, find: Find): Map<string, Map<string, string | null>> {
  const members = new Set([...manifests.values()].map(({ name }) => name));
  const isFound = ({ name, range }: ManifestDependency) => members.has(name) || find(name, range) !== null;
  return new Map(
    [...manifests].map(([folder, manifest]) => [
      folder,
      new Map(
        needsIn(manifest)
          .filter(isFound)
          .map(({ name, range }) => [name, range] as const),
      ),
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

/** The older format: a line of patterns, fields indented by two, needs by four. @returns the numbers of odd lines as well. */
function parseBlocks(text: string): { readonly blocks: Block[]; readonly odd: number[] } {
  const blocks: Block[] = [];
  const odd: number[] = [];
  let table: DependencyKind | null = null;
  for (const [index, line] of text.split(/\r?\n/).entries()) {
    if (line.trim() === '' || line.startsWith('#')) continue;
    const block = blocks.at(-1);
    if (!line.startsWith(' ')) {
      if (!/:$/.test(line) || !/[^\s@]@/.test(line)) odd.push(index + 1);
      const patterns = line.replace(/:$/, '').split(/,\s*/).map(unquote);
      blocks.push({ key: patterns[0] ?? '', patterns, fields: {}, needs: [] });
      table = null;
    } else if (/^ {4}\S/.test(line)) {
      const match = /^\s+("[^"\\]*(?:\\.[^"\\]*)*"|\S+)\s+(.+)$/.exec(line);
      if (match === null) odd.push(index + 1);
      else if (table !== null) block?.needs.push([unquote(match[1] ?? ''), unquote(match[2] ?? ''), table]);
    } else {
      const opened = /^ {2}(dependencies|optionalDependencies):$/.exec(line)?.[1];
      table = opened === undefined ? null : opened === 'dependencies' ? 'run' : 'optional';
      const match = /^ {2}(\w+)\s+(.+)$/.exec(line);
      if (match !== null && block !== undefined) block.fields[match[1] ?? ''] = unquote(match[2] ?? '');
      else if (opened === undefined && !/^ {2}\w+:$/.test(line)) odd.push(index + 1);
    }
  }
  return { blocks: blocks.filter(({ key }) => /.@/.test(key)), odd };
}

function unquote(text: string): string {
  return text.trim().replace(/^"(.*)"$/, '$1');
}
