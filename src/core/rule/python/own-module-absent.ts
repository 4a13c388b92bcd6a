import type { FileFacts } from '../../facts/facts.ts';
import type { OwnImport } from '../../facts/python-imports.ts';
import { filesIn } from '../../form/artifact.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const ownModuleAbsent: Rule = {
  id: 'python/own-module-absent',
  forms: ['wheel'],
  severity: 'refuse',
  what: 'Modules of the package that its own modules import are included',
  why: 'The package installs and fails at the first import; in the repository the module is there',
  fix: 'Include the module: list its package in the build configuration, or generate it before packing',
  example: 'from . import _table in tidemark_py/__init__.py, and no tidemark_py/_table.py',
  check: (artifact) => {
    const modules = modulesIn(filesIn(artifact).map(({ path }) => path));
    return [...artifact.facts.python].flatMap(([path, { named }]): RawFinding[] => {
      const place = placeOf(path);
      if (place === null || /(?:^|\/)(?:tests?|conftest|docs?|examples?|_vendor|vendored?)(?:\/|\.py$)/.test(path))
        return [];
      const missing = named.flatMap((item) =>
        missingFrom(item, { path, place }, { modules, python: artifact.facts.python }),
      );
      return missing.map(({ line, module }) => ({
        path,
        message: `line ${line} imports ${module}, which is not inside`,
        // A module for another system is imported there only.
        ...(forOneSystem.test(`${path} ${module}`) ? { severity: 'warn' as const } : {}),
      }));
    });
  },
};

const forOneSystem = /mac|osx|darwin|win32|windows|linux|posix|unix|cygwin|android|ios|java|jython|wasm|emscripten/i;

type Modules = {
  /** Every module and package by its dotted name. */
  readonly all: ReadonlySet<string>;
  /** Packages with a file __init__, by the path of that file. */
  readonly regular: ReadonlyMap<string, string>;
  /** Other modules by the path of their file. */
  readonly files: ReadonlyMap<string, string>;
};

function modulesIn(paths: readonly string[]): Modules {
  const all = new Set<string>();
  const regular = new Map<string, string>();
  const files = new Map<string, string>();
  for (const path of paths) {
    const place = placeOf(path);
    if (place === null) continue;
    const parts = place.split('/');
    const file = parts.pop() ?? '';
    for (let depth = 1; depth <= parts.length; depth++) all.add(parts.slice(0, depth).join('.'));
    // A compiled module has the tag of its interpreter in its name.
    const module = /^(\w+)(?:\.py|\.pyc|(?:\.[\w-]+)?\.(?:so|pyd))$/.exec(file)?.[1];
    if (module === undefined) continue;
    if (module === '__init__') regular.set(parts.join('.'), path);
    else {
      const name = [...parts, module].join('.');
      all.add(name);
      files.set(name, path);
    }
  }
  return { all, regular, files };
}

/** Path as it lies beside other packages once it is installed; null for what goes elsewhere. */
function placeOf(path: string): string | null {
  const placed = path.replace(/^[^/]+\.data\/(?:pure|plat)lib\//, '');
  return /^[^/]+\.(?:data|dist-info)\//.test(placed) ? null : placed;
}

function missingFrom(
  { level, module, names, line }: OwnImport,
  { path, place }: { readonly path: string; readonly place: string },
  { modules: { all, regular, files }, python }: { readonly modules: Modules; readonly python: FileFacts['python'] },
): { readonly line: number; readonly module: string }[] {
  const parts = place.split('/').slice(0, -1);
  const base = level === 0 ? [] : parts.slice(0, parts.length - (level - 1));
  if (level > 0 && parts.length < level) return [];
  const target = [...base, ...(module === '' ? [] : module.split('.'))].join('.');
  const [top = ''] = target.split('.');
  // What is no package of this wheel, or one that others may add to, is not its own.
  if (target === '' || !all.has(top) || (level === 0 && !regular.has(top))) return [];
  const above = target.split('.').map((_, depth, names) => names.slice(0, depth + 1).join('.'));
  if (above.some((name) => python.get(regular.get(name) ?? files.get(name) ?? '')?.hasHooks === true)) return [];
  if (!all.has(target)) return [{ line, module: target }];
  const init = regular.get(target);
  if (names === null || init === undefined) return [];
  const bound = python.get(init);
  if (bound === undefined || bound.hasStar || bound.names.has('__getattr__')) return [];
  // In the package's own __init__ it is this very import that binds the name.
  const isBound = (name: string) => init !== path && bound.names.has(name);
  const isThere = (name: string) => all.has(`${target}.${name}`) || isBound(name) || /^__\w+__$/.test(name);
  // A name of a module that imports itself half-way is a matter for running it.
  return module === '' || level === 0
    ? names.filter((name) => !isThere(name)).map((name) => ({ line, module: `${target}.${name}` }))
    : [];
}
