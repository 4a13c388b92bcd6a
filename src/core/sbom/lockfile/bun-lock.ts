import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { checkedIntegrity } from '../digest.ts';
import type { DependencyKind } from '../sbom.ts';
import { needFields } from './npm-lock.ts';
import {
  type DependencyReader,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  memberKey,
  type Need,
  repositoryQualifiers,
} from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/**
 * `bun.lock` of versions 0 to 2: JSON with commas behind last values. Each package is a list of its name with its resolution,
 * where it comes from, what it needs, and its integrity; its key is its place among others, like a path in `node_modules`.
 */
export const readBunLock: DependencyReader = (text, { file }) => {
  const lock = parsePackageJson(withoutLastCommas(text), file);
  const version = shownText(lock['lockfileVersion']);
  if (!/^[0-2]$/.test(version)) return null;
  const entries = new Map(Object.entries(objectOf(lock['packages'])).map(([key, value]) => [key, toEntry(value)]));
  const unknown: string[] = [];
  const needsFrom = (from: string, info: Json, isRoot: boolean): Need[] => {
    const optionalPeers = [info['optionalPeers'] ?? []].flat().map(shownText);
    return needFields.flatMap(([field, usual]) =>
      Object.keys(objectOf(info[field])).flatMap((name): Need[] => {
        if (usual === 'development' && !isRoot) return [];
        const kind: DependencyKind = usual === 'peer' && optionalPeers.includes(name) ? 'optional' : usual;
        const key = locate(name, from, entries);
        if (key === null) {
          if (kind === 'run' || kind === 'development')
            unknown.push(`${file} has no entry for ${name}, which ${from === '' ? 'the package' : from} needs`);
          return [];
        }
        const folder = entries.get(key)?.folder ?? null;
        return [{ key: folder === null ? key : memberKey(folder), kind }];
      }),
    );
  };
  const packages = [...entries].flatMap(([key, entry]): LockedPackage[] =>
    entry.folder === null ? [{ ...toPackage(key, entry), needs: needsFrom(key, entry.info, false) }] : [],
  );
  const workspaces = Object.entries(objectOf(lock['workspaces'])).map(
    ([path, value]) => [path, objectOf(value)] as const,
  );
  const roots = new Map(workspaces.map(([path, info]) => [path, needsFrom(textOf(info['name']) ?? path, info, true)]));
  const asked = new Map(
    workspaces.map(([path, info]) => [
      path,
      new Map(
        needFields.flatMap(([field]) =>
          Object.entries(objectOf(info[field])).map(([name, range]) => [name, shownText(range)] as const),
        ),
      ),
    ]),
  );
  return dependencyReading({ format: `bun lockfile ${version}`, packages, roots, unknown, asked });
};

type Entry = {
  readonly name: string;
  readonly resolution: string;
  readonly info: Json;
  readonly integrity: string | null;
  readonly location: string | null;
  /** Of a package of the workspace; null for one from elsewhere. */
  readonly folder: string | null;
};

function toEntry(value: unknown): Entry {
  const parts: unknown[] = Array.isArray(value) ? value : [];
  const whole = textOf(parts[0]) ?? '';
  const at = whole.indexOf('@', 1);
  const resolution = at === -1 ? '' : whole.slice(at + 1);
  const source = textOf(parts[1]);
  return {
    name: at === -1 ? whole : whole.slice(0, at),
    resolution,
    info: objectOf(parts.find((part) => typeof part === 'object' && part !== null && !Array.isArray(part))),
    integrity: parts.map(textOf).find((part) => /^sha\d+-/.test(part ?? '')) ?? null,
    location: /^https?:/.test(resolution) ? resolution : source !== null && /^https?:/.test(source) ? source : null,
    folder: /^(?:workspace|link|file):(?!.*\.(?:tgz|tar\.gz)$)(.*)$/.exec(resolution)?.[1] ?? null,
  };
}

function toPackage(key: string, { name, resolution, integrity, location }: Entry): LockedPackage {
  const [, address, commit] = /^(?:git\+|github:|git:|ssh:)([^#]+)(?:#(.+))?$/.exec(resolution) ?? [];
  const isRepository = address !== undefined;
  return lockedPackage({
    key,
    type: 'npm',
    name,
    version: isRepository || /^(?:https?|file):/.test(resolution) ? null : resolution,
    qualifiers: isRepository ? repositoryQualifiers(address, commit ?? null) : {},
    ...checkedIntegrity(integrity),
    location,
    comment: isRepository || resolution.startsWith('file:') ? `from ${resolution.replace(/\/\/[^/]*@/, '//')}` : null,
  });
}

/** The nearest copy on the way up: for `a/b` first `a/b/NAME`, then `a/NAME`, then `NAME`. */
function locate(name: string, from: string, entries: ReadonlyMap<string, unknown>): string | null {
  for (let place = from; ; place = outer(place)) {
    const key = place === '' ? name : `${place}/${name}`;
    if (entries.has(key)) return key;
    if (place === '') return null;
  }
}

/** A place without its last name; a name with a scope has a slash of its own. */
function outer(place: string): string {
  return /^(.*?)\/?(?:@[^/]+\/)?[^/]+$/.exec(place)?.[1] ?? '';
}

/** JSON has no comma before a closing bracket (RFC 8259 §4, §5). */
function withoutLastCommas(text: string): string {
  return text.replace(/("[^"\\]*(?:\\.[^"\\]*)*")|,(?=\s*[}\]])/g, (_, kept?: string) => kept ?? '');
}
