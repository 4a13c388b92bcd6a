import { formatOf } from '../../../src/core/sbom/lockfile/formats.ts';
import { type DependencyReading, memberFolder, type ReadingContext } from '../../../src/core/sbom/lockfile/reading.ts';

/** Reads a lockfile by its name. @throws when nothing reads it. */
export function readText(file: string, text: string, more: Partial<ReadingContext> = {}): DependencyReading {
  const reading = formatOf(file)?.read(text, { file, manifests: new Map(), beside: () => null, ...more });
  if (reading === null || reading === undefined) throw new Error(`${file} was not read`);
  return reading;
}

/** `direct: kind name@version` of the root, then `name@version > name@version`. */
export function summary({ packages, roots }: DependencyReading, folder = ''): string[] {
  const byKey = new Map(packages.map((pkg) => [pkg.key, `${pkg.name}@${pkg.version}`]));
  const named = (key: string) => byKey.get(key) ?? memberFolder(key)?.concat('/') ?? `nothing called ${key}`;
  return [
    ...(roots.get(folder) ?? []).map(
      ({ key, kind, isIndirect }) => `${isIndirect === true ? 'indirect ' : ''}${kind} ${named(key)}`,
    ),
    ...packages.flatMap((pkg) =>
      pkg.needs.map(({ key, kind }) => `${named(pkg.key)} > ${kind === 'run' ? '' : `${kind} `}${named(key)}`),
    ),
  ];
}
