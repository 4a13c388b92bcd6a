import { objectOf, textOf } from '../fields.ts';
import { normaliseName } from '../normalise-name.ts';
import { parseToml } from '../toml.ts';
import { type FindPlaces, inside, type PlaceSearch, placeByPattern, type VersionPlace } from './place.ts';
import { versionFile } from './plain.ts';

/**
 * Where a Python package keeps a version that its manifest does not have itself (PEP 621, "dynamic"): the attribute or file
 * that the table of the build backend names, else `__version__` of the import package.
 */
export const findPythonPlaces: FindPlaces = async (search) => {
  const { folder, files, read } = search;
  const at = (file: string) => inside(folder, file);
  const pyproject = await read(at('pyproject.toml'));
  const setupCfg = await read(at('setup.cfg'));
  const named = [
    ...(pyproject === null ? [] : backendPlaces(pyproject, at('pyproject.toml'), search)),
    ...(setupCfg === null ? [] : setupCfgPlaces(setupCfg, search)),
  ];
  // The same file may be named twice; the one that the manifest names counts.
  const found = new Map(named.filter(({ file }) => files.has(file)).map((place) => [place.file, place]));
  for (const file of moduleFiles(search)) {
    const place = attributePlace(file, '__version__', named.length === 0 && isDynamic(pyproject, setupCfg));
    if (found.has(file) || place.read((await read(file)) ?? '') === null) continue;
    found.set(file, place);
  }
  if (setupCfg !== null && /^\[metadata\][^[]*?^version\s*=/m.test(setupCfg)) {
    const place = setupCfgPlace(at('setup.cfg'));
    if (place.read(setupCfg) !== null) found.set(place.file, place);
  }
  return [...found.values()];
};

/** Whether the manifest leaves its version to something else. */
function isDynamic(pyproject: string | null, setupCfg: string | null): boolean {
  if (pyproject === null) return !/^version\s*=\s*\S/m.test(setupCfg ?? '');
  const dynamic = /^dynamic\s*=\s*\[([^\]]*)\]/m.exec(pyproject)?.[1];
  return dynamic === undefined ? !/^version\s*=/m.test(pyproject) : /["']version["']/.test(dynamic);
}

/** What the tables of build backends say: setuptools, hatchling, pdm, flit. */
function backendPlaces(text: string, file: string, search: PlaceSearch): VersionPlace[] {
  const tool = objectOf(parseToml(text, file)['tool']);
  const setuptools = objectOf(objectOf(objectOf(tool['setuptools'])['dynamic'])['version']);
  const attribute = textOf(setuptools['attr']);
  const listed = [setuptools['file']].flat().flatMap((item) => textOf(item) ?? []);
  const paths = [objectOf(tool['hatch'])['version'], objectOf(tool['pdm'])['version']].flatMap((table) => {
    const { path, pattern } = objectOf(table);
    const found = textOf(path);
    return found === null ? [] : [{ found, pattern: textOf(pattern) }];
  });
  return [
    ...(attribute === null ? [] : attributePlaces(attribute, search)),
    ...listed.map((name) => versionFile(inside(search.folder, name))),
    ...paths.map(({ found }) => attributePlace(inside(search.folder, found), '(?:__version__|VERSION|version)', true)),
  ];
}

/** `version = attr: package.__version__` and `version = file: VERSION` of setup.cfg. */
function setupCfgPlaces(text: string, search: PlaceSearch): VersionPlace[] {
  const [, how, value = ''] = /^version\s*=\s*(attr|file):\s*([^\s,]+)/m.exec(text) ?? [];
  if (how === 'attr') return attributePlaces(value, search);
  return how === 'file' ? [versionFile(inside(search.folder, value))] : [];
}

function setupCfgPlace(file: string): VersionPlace {
  return placeByPattern(
    { file, what: 'version in [metadata]', isSource: false },
    /(?<before>^\[metadata\][^[]*?^version[ \t]*=[ \t]*)(?!attr:|file:)(?<version>[^\s#]+)(?<after>)/m,
  );
}

/** Files in which `package.module.NAME` can be, at the top or below `src/` (setuptools, "attr"). */
function attributePlaces(attribute: string, { folder, files }: PlaceSearch): VersionPlace[] {
  const parts = attribute.split('.');
  const name = parts.at(-1) ?? '__version__';
  const module = parts.slice(0, -1).join('/');
  return ['', 'src/', 'lib/']
    .flatMap((top) => [`${top}${module}.py`, `${top}${module}/__init__.py`])
    .map((file) => inside(folder, file))
    .filter((file) => files.has(file))
    .map((file) => attributePlace(file, name.replace(/\W/g, ''), true));
}

/** `NAME = "1.2.0"` at the top level of a module. */
function attributePlace(file: string, name: string, isSource: boolean): VersionPlace {
  return placeByPattern(
    { file, what: name.startsWith('(') ? 'the version' : name, isSource },
    new RegExp(
      `(?<before>^${name}[ \\t]*(?::[^=\\n]+)?=[ \\t]*(?<quote>["']))(?<version>\\d[^"'\\n]*)(?<after>\\k<quote>)`,
      'm',
    ),
  );
}

/** Modules in which a package by its name may keep its version. */
function moduleFiles({ folder, name, files }: PlaceSearch): string[] {
  const own = normaliseName(name).replaceAll('-', '_');
  const names = ['__init__', '_version', '__about__', '__version__', 'version', 'about'].map((base) => `${base}.py`);
  const found = ['', 'src/', 'lib/'].flatMap((top) => [
    ...names.map((file) => inside(folder, `${top}${own}/${file}`)),
    inside(folder, `${top}${own}.py`),
  ]);
  return found.filter((file) => files.has(file));
}
