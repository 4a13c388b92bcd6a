import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { hexDigest } from '../digest.ts';
import type { DependencyKind, Digest } from '../sbom.ts';
import {
  type DependencyReader,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  memberKey,
  type Need,
  type ReadingContext,
  repositoryQualifiers,
} from './reading.ts';

/**
 * A requirements file with those that it includes, hashes and markers (the installer's documentation, "Requirements File
 * Format"). Files of constraints say which version is meant, and need nothing themselves.
 */
export const readRequirements: DependencyReader = (text, context) => {
  const found = new Reader(context);
  found.read(text, context.file.split('/').at(-1) ?? '', false);
  const isConstraints = /^constraints/.test(context.file.split('/').at(-1) ?? '');
  const packages = found.packages();
  const kind: DependencyKind = /(?:dev|test|lint|docs?|ci)/i.test(context.file.split('/').at(-1) ?? '')
    ? 'development'
    : 'run';
  const needs: Need[] = [
    ...packages.map((pkg) => ({ key: pkg.key, kind: found.extras.has(pkg.key) ? ('optional' as const) : kind })),
    ...[...found.members].filter((folder) => folder !== '').map((folder) => ({ key: memberKey(folder), kind })),
  ];
  return dependencyReading({
    format: isConstraints ? 'constraints file' : 'requirements file',
    packages: isConstraints ? [] : packages,
    roots: new Map(isConstraints ? [] : [['', needs]]),
    unknown: isConstraints ? [] : found.unknown(),
  });
};

/** Options that name no project. */
const otherOptions =
  /^(?:-i|-f|--(?:index-url|extra-index-url|find-links|no-index|trusted-host|pre|prefer-binary|only-binary|no-binary|require-hashes|use-feature|config-settings?|global-option))(?:[\s=]|$)/;

class Reader {
  /** Keys of packages that are needed for an extra only. */
  readonly extras = new Set<string>();
  /** Folders of the workspace that are needed. */
  readonly members = new Set<string>();
  readonly #context: ReadingContext;
  readonly #found = new Map<string, LockedPackage>();
  readonly #constraints = new Map<string, string>();
  readonly #unknown: string[] = [];
  readonly #seen = new Set<string>();

  constructor(context: ReadingContext) {
    this.#context = context;
  }

  /** @param name of the file, from the folder of the first one. */
  read(text: string, name: string, isConstraints: boolean): void {
    if (this.#seen.has(name)) return;
    this.#seen.add(name);
    for (const line of text.replace(/\\\r?\n/g, ' ').split(/\r?\n/)) {
      const plain = line.replace(/(?:^|\s)#.*$/, '').trim();
      if (plain === '' || otherOptions.test(plain)) continue;
      const [, option, other] = /^(-r|--requirement|-c|--constraint)[ =]?\s*(\S+)/.exec(plain) ?? [];
      if (option === undefined) this.#readLine(plain, parentOf(name), isConstraints);
      else this.#include(joinPath(parentOf(name), other ?? ''), isConstraints || /^-c|^--c/.test(option));
    }
  }

  packages(): LockedPackage[] {
    return [...this.#found.values()].map((pkg) =>
      pkg.version === null && pkg.location === null && Object.keys(pkg.qualifiers).length === 0
        ? { ...pkg, version: this.#constraints.get(pkg.name) ?? null }
        : pkg,
    );
  }

  unknown(): string[] {
    const open = this.packages().filter(
      ({ version, location, qualifiers }) =>
        version === null && location === null && Object.keys(qualifiers).length === 0,
    );
    return [
      ...this.#unknown,
      ...open.map(({ name }) => `${this.#context.file} leaves open which version of ${name} is meant`),
    ];
  }

  #include(name: string, isConstraints: boolean): void {
    const text = this.#context.beside(name);
    if (text !== null) this.read(text, name, isConstraints);
    else this.#unknown.push(`${this.#context.file} includes ${name}, which is not among the files that were read`);
  }

  /** A folder is code of the workspace. */
  #readFolder(plain: string, folder: string): void {
    if (this.#context.manifests.has(folder)) this.members.add(folder);
    else if (folder !== '')
      this.#unknown.push(`${this.#context.file}: "${plain.slice(0, 80)}" is no folder with a package`);
  }

  #readLine(plain: string, folder: string, isConstraints: boolean): void {
    const place = /^(?:-e\s+|--editable[ =]\s*)?(?:file:)?(\.{0,2}\/[^\s[;#]*|\.{1,2}(?=\[|\s|$))/.exec(plain)?.[1];
    if (place !== undefined) {
      this.#readFolder(plain, joinPath(folder, place));
      return;
    }
    const direct =
      /^(?:-e\s+|--editable[ =]\s*)?(?:([A-Za-z0-9][\w.-]*)\s*(?:\[[^\]]*\])?\s*@\s*)?((?:\w+\+)?\w+:\/\/\S+)/.exec(
        plain,
      );
    const match = /^([A-Za-z0-9][\w.-]*)\s*(?:\[[^\]]*\])?\s*([^;]*?)\s*(?:;\s*(.*))?$/.exec(
      plain.replace(/\s--hash.*$/, ''),
    );
    if (direct !== null) this.#add(fromAddress(plain, direct[1] ?? null, direct[2] ?? ''), null);
    else if (plain.startsWith('-') || match === null)
      this.#unknown.push(`${this.#context.file}: "${plain.slice(0, 80)}" names no project with a version`);
    else this.#readNamed(plain, match, isConstraints);
  }

  #readNamed(plain: string, [, raw = '', range = '', marker]: RegExpExecArray, isConstraints: boolean): void {
    const name = normaliseName(raw);
    const version = /^={2,3}\s*([^\s;,*]+)$/.exec(range)?.[1] ?? null;
    if (isConstraints) {
      if (version !== null) this.#constraints.set(name, version);
      return;
    }
    const hashes = [...plain.matchAll(/--hash=(\w+):(\S+)/g)];
    const digests = hashes.flatMap(([, algorithm = '', value = '']) => hexDigest(algorithm, value) ?? []);
    const bad = hashes.find(([, algorithm = '', value = '']) => hexDigest(algorithm, value) === null);
    const only = marker === undefined ? null : `only where ${marker.trim()}`;
    const pkg = lockedPackage({ key: `${name} ${version}`, type: 'pypi', name, version, badDigest: bad?.[0] ?? null });
    this.#add({ ...pkg, ...filesOf(digests, only) }, marker ?? null);
  }

  #add(pkg: LockedPackage | null, marker: string | null): void {
    if (pkg === null) return;
    if (/\bextra\s*==/.test(marker ?? '')) this.extras.add(pkg.key);
    this.#found.set(pkg.key, pkg);
  }
}

/** Each file of a project has a digest of its own: one stands for all only when it is alone. */
export function filesOf(
  digests: readonly Digest[],
  comment: string | null,
): Pick<LockedPackage, 'digests' | 'comment'> {
  const several = digests.length > 1 ? `${digests.length} files with digests of their own` : null;
  const parts = [comment, several].filter((part) => part !== null);
  return { digests: digests.length === 1 ? digests : [], comment: parts.length === 0 ? null : parts.join('; ') };
}

/** A project at an address: an archive, or a repository at a revision (PEP 508, "URL specs"; PEP 440, "Direct references"). */
function fromAddress(line: string, given: string | null, address: string): LockedPackage | null {
  const fragment = address.split('#')[1] ?? '';
  const name = given ?? /(?:^|&)egg=([\w.-]+)/.exec(fragment)?.[1] ?? null;
  if (name === null) return null;
  const [, repository, revision] = /^(?:git\+)([^#]+?)(?:@([^@/#]+))?(?:#.*)?$/.exec(address) ?? [];
  const [, algorithm = '', value = ''] = /(?:^|&)(sha\d+|md5)=([0-9a-fA-F]+)/.exec(fragment) ?? [];
  const digest = hexDigest(algorithm, value);
  const marker = / ;\s*(.*)$/.exec(line)?.[1];
  return lockedPackage({
    key: `${normaliseName(name)} ${address}`,
    type: 'pypi',
    name: normaliseName(name),
    version: null,
    qualifiers: repository === undefined ? {} : repositoryQualifiers(repository, revision ?? null),
    digests: digest === null ? [] : [digest],
    location: repository === undefined ? address : null,
    comment: marker === undefined ? null : `only where ${marker}`,
  });
}
