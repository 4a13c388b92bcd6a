import { compareDotted } from '../../facts/elf.ts';
import { type GoMod, parseGoMod } from '../../manifest/go-mod.ts';
import {
  addition,
  breaking,
  compareFields,
  compareItems,
  compatible,
  type ItemSide,
  plainDifference,
  surfaceOfItems,
} from '../items.ts';
import type { SurfaceReader, SurfaceSource, SurfaceTools } from '../reader.ts';
import type { Difference, NotChecked, Surface } from '../surface.ts';
import { loadParser, type Parse } from '../syntax/parser.ts';
import { readSources } from '../syntax/read-sources.ts';
import type { GoFile } from './definitions.ts';
import { goRules } from './go-rules.ts';
import { type GoDetail, packageItems } from './list-items.ts';
import { type GoPackage, packageOf } from './module-tree.ts';
import { readGoFile } from './read-file.ts';

/** Zips of Go modules, from their sources. */
export const goSurfaceReader: SurfaceReader = {
  wants: (path) => path === 'go.mod' || isWanted(path),
  read: async (source, tools) => {
    const side = sideOf(source, await loadParser('go', tools));
    return withPrograms(surfaceOfItems(side.side), side);
  },
  compare: async (old, now, tools) => compareModules(old, now, tools),
};

/** Sources that others can import: none for tests, none that are internal ("Internal Directories"), none that go passes over. */
function isWanted(path: string): boolean {
  if (!path.endsWith('.go') || path.endsWith('_test.go')) return false;
  return path.split('/').every((part) => !/^(?:internal|vendor|testdata)$|^[_.]/.test(part));
}

type Side = {
  readonly side: ItemSide<GoDetail>;
  readonly packages: ReadonlyMap<string, GoPackage>;
  /** Folders of programs. */
  readonly programs: ReadonlyMap<string, string>;
  readonly mod: GoMod;
};

async function compareModules(old: SurfaceSource, now: SurfaceSource, tools: SurfaceTools) {
  const parse = await loadParser('go', tools);
  const [before, after] = [sideOf(old, parse), sideOf(now, parse)];
  const place = { file: 'go.mod', line: 1 };
  const programs = compareFields(
    [before.programs, after.programs],
    (name) => ({ name: `program ${name}`, entry: 'go.mod', place }),
    {
      removed: () => breaking('it was removed'),
      added: () => addition('new'),
    },
  );
  const others = [...compareMods(before.mod, after.mod), ...programs, ...comparePackageNames(before, after)];
  const compared = compareItems([before.side, after.side], goRules(after.packages), others);
  return { ...compared, before: withPrograms(compared.before, before), after: withPrograms(compared.after, after) };
}

function withPrograms(surface: Surface, { programs }: Side): Surface {
  const names = [...programs.keys()].map((name) => ({ name, kind: 'program', signature: name, place: null }));
  return names.length === 0 ? surface : { ...surface, entries: [...surface.entries, { entry: 'programs', names }] };
}

function sideOf(source: SurfaceSource, parse: Parse): Side {
  const notChecked: NotChecked[] = [];
  const text = source.bytes('go.mod');
  const mod = parseGoMod(text === null ? '' : new TextDecoder().decode(text));
  const files = readSources(
    { source, parse, paths: source.paths.filter(isWanted).sort(), notChecked },
    (root, path) => {
      if (root.hasError) notChecked.push({ entry: path, why: 'parts of it could not be read' });
      return readGoFile(root, path);
    },
  );
  const pathOf = (file: string) => packagePath(mod, file);
  const unread = new Set(notChecked.map(({ entry }) => pathOf(entry ?? '')));
  const folders = new Map<string, GoFile[]>();
  for (const file of files) {
    const folder = pathOf(file.file);
    folders.set(folder, [...(folders.get(folder) ?? []), file]);
  }
  const packages = new Map<string, GoPackage>();
  const programs = new Map<string, string>();
  for (const [path, inside] of folders) {
    const pkg = packageOf(path, inside);
    if (pkg?.name === 'main') programs.set(path, path);
    else if (pkg !== null) packages.set(path, pkg);
  }
  const isUnread = (entry: string) => unread.has(entry);
  return {
    side: { items: [...packages.values()].flatMap(packageItems), notChecked, isUnread },
    packages,
    programs,
    mod,
  };
}

/** What users import, without the ending of a major version: that is a matter of the whole module. */
function packagePath({ module }: GoMod, file: string): string {
  const folder = file.includes('/') ? file.slice(0, file.lastIndexOf('/')) : '';
  const top = (module ?? '').replace(/\/v\d+$/, '');
  return [top, folder].filter((part) => part !== '').join('/') || '.';
}

function compareMods(old: GoMod, now: GoMod): Difference[] {
  const at = (name: string) => ({ name, entry: 'go.mod', place: { file: 'go.mod', line: 1 } });
  const found: Difference[] = [];
  if (old.module !== now.module)
    found.push(
      plainDifference(at('module'), breaking('users import it under another path'), {
        old: old.module,
        new: now.module,
      }),
    );
  if (old.go === now.go || now.go === null) return found;
  const isNewer = old.go === null || compareDotted(plainVersion(now.go), plainVersion(old.go)) > 0;
  const verdict = isNewer
    ? breaking('older versions of Go no longer compile it')
    : compatible('older versions of Go compile it');
  return [...found, plainDifference(at('go'), verdict, { old: old.go, new: now.go })];
}

/** `1.21rc1` comes close enough to `1.21`. */
const plainVersion = (text: string) => /^[\d.]+/.exec(text)?.[0] ?? '0';

function comparePackageNames(old: Side, now: Side): Difference[] {
  return [...old.packages].flatMap(([path, { name }]): Difference[] => {
    const other = now.packages.get(path);
    if (other === undefined || other.name === name) return [];
    const at = { name: `package ${name}`, entry: path, place: { file: path, line: null } };
    return [
      plainDifference(at, breaking(`it is called ${other.name} where it is imported`), { old: name, new: other.name }),
    ];
  });
}
