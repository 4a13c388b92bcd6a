import { pythonRangeTakes, pythonVersions } from '../../ecosystem/python/ranges.ts';
import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { parseEntryPoints } from '../../manifest/entry-points.ts';
import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import { addition, breaking, compareFields, compatible, plainDifference, unknown, type Verdict } from '../items.ts';
import type { SurfaceSource } from '../reader.ts';
import type { Difference } from '../surface.ts';

/** What two distributions promise beside their names: programs, plug-ins, extras, versions of Python, types. */
export function comparePythonMetadata(old: SurfaceSource, now: SurfaceSource): Difference[] {
  const metadata = (name: string) => ({ name, entry: 'metadata', place: { file: metadataFile(now), line: 1 } });
  const points = { removed: () => breaking('it was removed'), added: () => addition('new') };
  return [
    ...compareFields([extrasOf(old), extrasOf(now)], (name) => metadata(`extra ${name}`), points),
    ...compareFields([entryPointsOf(old), entryPointsOf(now)], (name) => metadata(name), {
      ...points,
      changed: () => compatible('it starts another function'),
    }),
    ...compareVersions(old, now, metadata('Requires-Python')),
    ...compareFields([typesOf(old), typesOf(now)], (name) => metadata(name), {
      removed: () => breaking('type checkers no longer read the types of the package'),
      added: () => addition('type checkers read the types of the package'),
    }),
  ];
}

/** Programs and plug-ins, as names of a surface. */
export function pythonPrograms(source: SurfaceSource): { readonly name: string; readonly signature: string }[] {
  return [...entryPointsOf(source)].map(([name, target]) => ({ name, signature: `${name} = ${target}` }));
}

const isMetadata = (path: string) => /^[^/]+\.dist-info\/METADATA$|^PKG-INFO$/.test(path);

function metadataFile({ paths, fileName }: SurfaceSource): string {
  return paths.find(isMetadata) ?? fileName;
}

function listIn({ manifest }: SurfaceSource, name: string): string[] {
  return [manifest?.[name] ?? []].flat().map(shownText);
}

function extrasOf(source: SurfaceSource): Map<string, string> {
  return new Map(listIn(source, 'Provides-Extra').map((name) => [name.toLowerCase().replace(/[-_.]+/g, '-'), name]));
}

/** The marker of PEP 561, per package. */
function typesOf({ paths }: SurfaceSource): Map<string, string> {
  return new Map(paths.filter((path) => /\/py\.typed$/.test(path)).map((path) => [path.replace(/^src\//, ''), path]));
}

function entryPointsOf(source: SurfaceSource): Map<string, string> {
  const path = source.paths.find((candidate) => /^[^/]+\.dist-info\/entry_points\.txt$/.test(candidate));
  const bytes = path === undefined ? null : source.bytes(path);
  if (bytes !== null)
    return new Map(
      parseEntryPoints(new TextDecoder().decode(bytes)).map(({ group, name, module, attribute }) => [
        titleOf(group, name),
        attribute === '' ? module : `${module}:${attribute}`,
      ]),
    );
  return new Map(projectPoints(source).map(([group, name, target]) => [titleOf(group, name), target]));
}

const titleOf = (group: string, name: string) => (group === 'console_scripts' ? `program ${name}` : `${group} ${name}`);

/** The project table (PEP 621), which source distributions have in place of entry_points.txt. */
function projectPoints(source: SurfaceSource): [string, string, string][] {
  const bytes = source.bytes('pyproject.toml');
  if (bytes === null) return [];
  try {
    const project = objectOf(parseToml(new TextDecoder().decode(bytes), 'pyproject.toml')['project']);
    const groups: [string, unknown][] = [
      ['console_scripts', project['scripts']],
      ['gui_scripts', project['gui-scripts']],
      ...Object.entries(objectOf(project['entry-points'])),
    ];
    return groups.flatMap(([group, points]) =>
      Object.entries(objectOf(points)).map(([name, target]): [string, string, string] => [
        group,
        name,
        shownText(target),
      ]),
    );
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return [];
  }
}

function compareVersions(
  old: SurfaceSource,
  now: SurfaceSource,
  at: Parameters<typeof plainDifference>[0],
): Difference[] {
  const [before, after] = [old, now].map(({ manifest }) => textOf(manifest?.['Requires-Python'] ?? null));
  if (before === after) return [];
  const takes = (range: string | null | undefined, version: string) =>
    range == null || pythonRangeTakes(range, version);
  const lost = pythonVersions.filter((version) => takes(before, version) && !takes(after, version));
  const gained = pythonVersions.some((version) => !takes(before, version) && takes(after, version));
  const verdict: Verdict | null =
    lost.length > 0
      ? before == null
        ? unknown('it limits the versions of Python for the first time')
        : breaking('some versions of Python are no longer in the range')
      : gained || after == null
        ? compatible('a wider range')
        : null;
  return verdict === null ? [] : [plainDifference(at, verdict, { old: before ?? null, new: after ?? null })];
}
