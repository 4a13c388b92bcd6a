import {
  addition,
  breaking,
  compareItems,
  compatible,
  type Item,
  type ItemSide,
  plainDifference,
  surfaceOfItems,
} from '../items.ts';
import type { SurfaceReader, SurfaceSource } from '../reader.ts';
import type { Difference, NotChecked, SurfaceComparison } from '../surface.ts';
import { type DotnetLibrary, dotnetRules } from './dotnet-rules.ts';
import { servedBy } from './frameworks.ts';
import { type DotnetDetail, typeItems } from './list-items.ts';
import { type DotnetAssembly, type DotnetType, readAssembly } from './read-assembly.ts';

const assembly = /^(lib|ref)\/([^/]+)\/([^/]+)\.dll$/i;
const machineCode = /^runtimes\/.*\/native\/[^/]+$/i;

/** Packages for .NET: the assemblies of each target framework. */
export const dotnetSurfaceReader: SurfaceReader = {
  wants: (path) => assembly.test(path),
  read: async (source) => surfaceOfItems(itemsOf(sideOf(source))),
  compare: async (old, now) => comparePackages(sideOf(old), sideOf(now)),
};

type Framework = {
  readonly assemblies: readonly (DotnetAssembly & { readonly file: string })[];
  readonly library: DotnetLibrary;
};
type Side = {
  readonly frameworks: ReadonlyMap<string, Framework>;
  readonly notChecked: readonly NotChecked[];
  /** Frameworks of which an assembly could not be read. */
  readonly unread: ReadonlySet<string>;
};

function sideOf(source: SurfaceSource): Side {
  const notChecked: NotChecked[] = [];
  const found = source.paths.flatMap((path) => {
    const [, folder = '', framework = ''] = assembly.exec(path) ?? [];
    return framework === '' ? [] : [{ path, folder: folder.toLowerCase(), framework: framework.toLowerCase() }];
  });
  // Programs are compiled against `ref` where there is one.
  const referred = new Set(found.filter(({ folder }) => folder === 'ref').map(({ framework }) => framework));
  const unread = new Set<string>();
  const frameworks = new Map<string, (DotnetAssembly & { file: string })[]>();
  for (const { path, folder, framework } of found) {
    if (folder === 'lib' && referred.has(framework)) continue;
    const bytes = source.bytes(path);
    const read = bytes === null ? null : readAssembly(bytes);
    if (read === null) {
      unread.add(framework);
      frameworks.set(framework, frameworks.get(framework) ?? []);
      notChecked.push({
        entry: path,
        why: bytes === null ? 'it is too large to be read' : 'it is no assembly that can be read',
      });
    } else frameworks.set(framework, [...(frameworks.get(framework) ?? []), { ...read, file: path }]);
  }
  const native = source.paths.filter((path) => machineCode.test(path)).length;
  if (native > 0)
    notChecked.push({
      entry: 'runtimes',
      why: `${native} ${native === 1 ? 'library is' : 'libraries are'} machine code, which is not read here`,
    });
  return {
    notChecked,
    unread,
    frameworks: new Map(
      [...frameworks].map(([name, assemblies]) => [name, { assemblies, library: libraryOf(assemblies) }]),
    ),
  };
}

function libraryOf(assemblies: readonly DotnetAssembly[]): DotnetLibrary {
  return {
    types: new Map(assemblies.flatMap(({ types }) => types.map((type) => [type.name, type] as const))),
    forwarded: new Set(assemblies.flatMap(({ forwarded }) => forwarded)),
    spaces: new Set(assemblies.flatMap(({ types }) => types.map(({ space }) => space))),
  };
}

/** @param as the framework under which names are shown. */
function frameworkItems({ assemblies }: Framework, as: string): Item<DotnetDetail>[] {
  const files = new Map(assemblies.map(({ name, file }) => [name, file]));
  const types = assemblies.flatMap((one) => one.types).sort((a, b) => (a.name < b.name ? -1 : 1));
  return typeItems(types, as, (type: DotnetType) => files.get(type.assembly) ?? '');
}

function itemsOf({ frameworks, notChecked }: Side): Pick<ItemSide<DotnetDetail>, 'items' | 'notChecked'> {
  return { items: [...frameworks].flatMap(([name, framework]) => frameworkItems(framework, name)), notChecked };
}

/** Each framework of the old package is compared with what its users get from the new one. */
function comparePackages(old: Side, now: Side): SurfaceComparison {
  const offered = [...now.frameworks.keys()];
  const pairs = [...old.frameworks].flatMap(([name, framework]) => {
    const served = servedBy(name, offered);
    const other = served === null ? undefined : now.frameworks.get(served);
    return other === undefined || served === null ? [] : [{ name, framework, other, served }];
  });
  const libraries = new Map(
    pairs.map(({ name, framework, other }) => [name, [framework.library, other.library] as const]),
  );
  const side = (items: Item<DotnetDetail>[], { notChecked, unread }: Side) => ({
    ...{ items, notChecked },
    isUnread: (entry: string) => unread.has(entry.split(' ')[0] ?? ''),
  });
  const compared = compareItems(
    [
      side(
        pairs.flatMap(({ name, framework }) => frameworkItems(framework, name)),
        old,
      ),
      side(
        pairs.flatMap(({ name, other }) => frameworkItems(other, name)),
        now,
      ),
    ],
    dotnetRules((entry) => libraries.get(entry.split(' ')[0] ?? '') ?? [emptyLibrary, emptyLibrary]),
    [
      ...compareFrameworks(old, now),
      ...pairs.flatMap((pair) =>
        now.unread.has(pair.served) ? [] : compareNames(pair.name, pair.framework, pair.other),
      ),
    ],
  );
  return { ...compared, before: surfaceOfItems(itemsOf(old)), after: surfaceOfItems(itemsOf(now)) };
}

const emptyLibrary: DotnetLibrary = { types: new Map(), forwarded: new Set(), spaces: new Set() };

function compareFrameworks(old: Side, now: Side): Difference[] {
  const [before, after] = [[...old.frameworks.keys()], [...now.frameworks.keys()]];
  const at = (name: string, { frameworks }: Side) => ({
    name,
    entry: 'target frameworks',
    place: { file: frameworks.get(name)?.assemblies[0]?.file ?? '', line: null },
  });
  return [
    ...before
      .filter((name) => !after.includes(name))
      .map((name) => {
        const served = servedBy(name, after);
        const verdict =
          served === null
            ? breaking('projects of this framework get nothing any more')
            : compatible(`projects of this framework get ${served}`);
        return plainDifference(at(name, old), verdict, { old: name, new: served });
      }),
    ...after
      .filter((name) => !before.includes(name))
      .map((name) => plainDifference(at(name, now), addition('a new target framework'), { old: null, new: name })),
  ];
}

/** Names of assemblies and their keys: compiled programs ask for both (II.6.2.1). */
function compareNames(framework: string, old: Framework, now: Framework): Difference[] {
  const after = new Map(now.assemblies.map((one) => [one.name, one]));
  return old.assemblies.flatMap(({ name, publicKey, file }): Difference[] => {
    const other = after.get(name);
    const at = { name, entry: `${framework} assemblies`, place: { file: other?.file ?? file, line: null } };
    if (other === undefined)
      return [plainDifference(at, breaking('the assembly was removed'), { old: name, new: null })];
    if (other.publicKey === publicKey) return [];
    const sides = {
      old: publicKey === '' ? 'no strong name' : 'a strong name',
      new: other.publicKey === '' ? 'no strong name' : 'a strong name',
    };
    return [plainDifference(at, breaking('another strong name: compiled programs ask for the old one'), sides)];
  });
}
