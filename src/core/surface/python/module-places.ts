import type { SurfaceSource } from '../reader.ts';
import type { NotChecked } from '../surface.ts';
import { isPublicModule } from './list-items.ts';
import type { ModulePlace } from './read-module.ts';

/** Files of modules and what they are called; a stub stands for its source (PEP 561, "Type Checker Module Resolution Order"). */
export function modulePlaces({ paths, fileName }: Pick<SurfaceSource, 'paths' | 'fileName'>): Map<string, ModulePlace> {
  const isWheel = /\.whl$/i.test(fileName) || paths.some((path) => /^[^/]+\.dist-info\//.test(path));
  const byName = new Map<string, ModulePlace>();
  for (const file of paths) {
    const place = isWheel ? wheelPlace(file) : sourcePlace(file, paths);
    const known = place === null ? undefined : byName.get(place.name);
    if (place !== null && (known === undefined || (place.isStub && !known.isStub))) byName.set(place.name, place);
  }
  return new Map([...byName.values()].map((place) => [place.file, place]));
}

function wheelPlace(file: string): ModulePlace | null {
  const path = file.replace(/^[^/]+\.data\/(?:pure|plat)lib\//, '');
  return /^[^/]+\.(?:dist-info|data)\//.test(path) ? null : placeOf(file, path);
}

/** Of a source distribution: below `src`, or in a folder with `__init__.py`, or a module that lies beside pyproject.toml. */
function sourcePlace(file: string, paths: readonly string[]): ModulePlace | null {
  const hasSrc = paths.some((path) => /^src\/.*\.pyi?$/.test(path));
  if (hasSrc) return file.startsWith('src/') ? placeOf(file, file.slice(4)) : null;
  const [top = '', ...rest] = file.split('/');
  if (rest.length === 0)
    return /^(?:setup|conftest|noxfile|tasks|fabfile|versioneer)\.py$/.test(file) ? null : placeOf(file, file);
  return paths.includes(`${top}/__init__.py`) && !/^(?:tests?|docs?|examples?)$/.test(top) ? placeOf(file, file) : null;
}

function placeOf(file: string, path: string): ModulePlace | null {
  const match = /^(.*?)\.(pyi?)$/.exec(path);
  if (match === null) return null;
  const parts = (match[1] ?? '').split('/').map((part, index) => (index === 0 ? part.replace(/-stubs$/, '') : part));
  const isPackage = parts.at(-1) === '__init__';
  const name = (isPackage ? parts.slice(0, -1) : parts).join('.');
  if (name === '' || !name.split('.').every((part) => /^[\p{L}_][\p{L}\p{N}_]*$/u.test(part))) return null;
  return { name, file, isStub: match[2] === 'pyi', isPackage };
}

/** Modules of machine code without a stub: what they offer cannot be seen. */
export function compiledModules({ paths }: Pick<SurfaceSource, 'paths'>, known: ReadonlySet<string>): NotChecked[] {
  return paths.flatMap((path): NotChecked[] => {
    const match = /^(?:src\/|[^/]+\.data\/platlib\/)?(.*?)(?:\.[\w-]+)?\.(?:so|pyd)$/.exec(path);
    const name = (match?.[1] ?? '').replaceAll('/', '.');
    return match === null || known.has(name) || !isPublicModule(name)
      ? []
      : [{ entry: name, why: `${path} is machine code, and no stub says what it offers` }];
  });
}
