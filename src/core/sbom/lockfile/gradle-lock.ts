import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import type { DependencyKind } from '../sbom.ts';
import {
  type DependencyReader,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  type Need,
  needsIn,
  type ReadingContext,
} from './reading.ts';

/** `gradle.lockfile`: one line for each module with the configurations that it is in (Gradle user manual, "Locking versions"). */
export const readGradleLock: DependencyReader = (text, context) => {
  const { file } = context;
  const unknown: string[] = [];
  const direct = directNames(context);
  const packages: LockedPackage[] = [];
  const needs: Need[] = [];
  for (const line of text.split(/\r?\n/)) {
    if (line.trim() === '' || line.startsWith('#') || line.startsWith('empty=')) continue;
    const [, name, version, configurations] = /^([^:=\s]+:[^:=\s]+):([^:=\s]+)(?:=(\S*))?$/.exec(line.trim()) ?? [];
    if (name === undefined || version === undefined) {
      unknown.push(`${file}: "${line.slice(0, 80)}" names no module with a version`);
      continue;
    }
    const key = `${name}:${version}`;
    packages.push(lockedPackage({ key, type: 'maven', name, version }));
    const isIndirect = direct.size > 0 && !direct.has(name);
    const kind = /^buildscript-/.test(file.split('/').at(-1) ?? '')
      ? 'build'
      : kindIn((configurations ?? '').split(','));
    needs.push({ key, kind, ...(isIndirect ? { isIndirect } : {}) });
  }
  if (direct.size === 0 && packages.length > 0)
    unknown.push(`${file} does not say which of its modules are needed directly, and no file beside it does`);
  const names = new Set(packages.map(({ name }) => name));
  const asked = new Map([...direct].filter((name) => names.has(name)).map((name) => [name, null] as const));
  return dependencyReading({
    format: 'gradle lockfile',
    packages,
    roots: new Map([['', needs]]),
    asked: new Map([['', asked]]),
    unknown,
  });
};

/** What a module is for, from the strongest of its configurations (Gradle user manual, "The Java Library plugin configurations"). */
function kindIn(configurations: readonly string[]): DependencyKind {
  const shipped = configurations.filter((name) => !/test/i.test(name));
  if (shipped.some((name) => /^runtimeClasspath$|RuntimeClasspath$|^default$|^runtime$/.test(name))) return 'run';
  if (shipped.some((name) => /compileClasspath$|compileOnly/i.test(name))) return 'peer';
  if (shipped.length === 0) return 'development';
  return shipped.some((name) => /annotationProcessor|kapt|ksp/i.test(name)) ? 'build' : 'development';
}

/** Names that a manifest beside it or a version catalogue above it lists. */
function directNames({ manifests, beside }: ReadingContext): Set<string> {
  const named = needsIn(manifests.get('')).map(({ name }) => name);
  for (const catalogue of [
    'gradle/libs.versions.toml',
    '../gradle/libs.versions.toml',
    '../../gradle/libs.versions.toml',
  ]) {
    const text = beside(catalogue);
    if (text !== null) return new Set([...named, ...librariesOf(text, catalogue).map(({ name }) => name)]);
  }
  return new Set(named);
}

/** A version catalogue: it names what the projects below may use (Gradle user manual, "Version Catalogs", "The TOML format"). */
export const readGradleCatalogue: DependencyReader = (text, { file, beside }) => {
  const libraries = librariesOf(text, file);
  // The lockfile says what is used of it, and in which version.
  if (beside('../gradle.lockfile') !== null)
    return dependencyReading({ format: 'version catalogue', packages: [], roots: new Map() });
  const packages = libraries.map(({ name, version }) => lockedPackage({ key: name, type: 'maven', name, version }));
  const unknown = libraries
    .filter(({ version }) => version === null)
    .map(({ name }) => `${file} leaves open which version of ${name} is meant`);
  if (packages.length > 0)
    unknown.push(
      `${file} names libraries that build scripts may use; which they do use, and what those need in turn, only a gradle.lockfile would say`,
    );
  const needs = packages.map(({ key }) => ({ key, kind: 'run' as const }));
  return dependencyReading({ format: 'version catalogue', packages, roots: new Map([['..', needs]]), unknown });
};

function librariesOf(text: string, file: string): { readonly name: string; readonly version: string | null }[] {
  const catalogue = parseToml(text, file);
  const versions = objectOf(catalogue['versions']);
  const versionOf = (value: unknown): string | null => {
    const table = objectOf(value);
    const named = textOf(table['ref']);
    if (named !== null) return versionOf(versions[named]);
    const plain = textOf(value) ?? textOf(table['strictly']) ?? textOf(table['require']) ?? textOf(table['prefer']);
    return plain === null || /[[(+,]|latest\./.test(plain) ? null : plain;
  };
  return Object.values(objectOf(catalogue['libraries'])).flatMap((value) => {
    const table = objectOf(value);
    const short = textOf(value)?.split(':');
    const name =
      short === undefined
        ? (textOf(table['module']) ?? `${shownText(table['group'])}:${shownText(table['name'])}`)
        : short.slice(0, 2).join(':');
    const version = short === undefined ? versionOf(table['version']) : versionOf(short[2]);
    return /^[^:\s]+:[^:\s]+$/.test(name) ? [{ name, version }] : [];
  });
}
