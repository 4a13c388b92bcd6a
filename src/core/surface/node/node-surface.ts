import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { moduleSystemOf, type NodePackage } from '../node-package.ts';
import {
  type Difference,
  type NotChecked,
  type Surface,
  type SurfaceComparison,
  type SurfaceName,
  sortDifferences,
} from '../surface.ts';
import { compareManifests, compareRoutes } from './compare-manifests.ts';
import { type Report, TypeComparison } from './compare-types.ts';
import { type DeclarationProgram, type LibraryText, loadDeclarations, TooManyTypes } from './declaration-program.ts';
import { listNames } from './list-names.ts';
import { programsOf, type Route, routeKey, routesOf } from './routes.ts';
import { compareScripts, ScriptReader, scriptSurface } from './script-surface.ts';
import { placeOf } from './symbols.ts';
import type { NodeTree } from './type-tree.ts';

/** One side of a comparison. */
type Side = {
  readonly tree: NodeTree;
  readonly pkg: NodePackage;
  readonly routes: readonly Route[];
  readonly scripts: ScriptReader;
};

/** The public surface of an npm tarball: names by entry, from declarations where there are any, else from the code. */
export function readNodeSurface(tree: NodeTree, libraryText: LibraryText): Surface {
  const side = sideOf(tree);
  return surfaceOrWhy(() =>
    surfaceOf('new', side, loadDeclarations({ new: { tree, roots: typeFiles(side) } }, libraryText)),
  );
}

const tooDeep = 'its declarations nest too deep to be read';
const tooMuch = 'its types are too many to be compared; what was found until then is listed';

/** Why a piece of work on hostile or enormous declarations ended; null when it is done. */
function whyStopped(work: () => void): string | null {
  try {
    work();
    return null;
  } catch (error) {
    // The compiler follows nested types by recursion, so that a file can use up the stack.
    if (error instanceof RangeError) return tooDeep;
    if (error instanceof TooManyTypes) return tooMuch;
    throw error;
  }
}

/** A surface, or an empty one that says why it could not be read. */
function surfaceOrWhy(read: () => Surface): Surface {
  let surface: Surface | null = null;
  const why = whyStopped(() => {
    surface = read();
  });
  return surface ?? { entries: [], notChecked: [{ entry: null, why: why ?? tooDeep }] };
}

/**
 * Compares two npm tarballs. Entries and their ways of loading come from the manifests; names and types from one checker over
 * both; where there are no declarations, names and parameters from the code.
 */
export function compareNodeSurfaces(old: NodeTree, now: NodeTree, libraryText: LibraryText): SurfaceComparison {
  const [before, after] = [sideOf(old), sideOf(now)];
  const isModule =
    ({ pkg, tree }: Side) =>
    (code: string) =>
      isModuleFile(code, pkg, tree);
  const plain = [
    ...compareManifests(old, now),
    ...compareRoutes(before.routes, after.routes, { old: isModule(before), new: isModule(after) }),
  ];
  let loaded: DeclarationProgram | null = null;
  const why = whyStopped(() => {
    loaded = loadBoth(before, after, libraryText);
  });
  const program = loaded as DeclarationProgram | null;
  if (program === null) {
    const unread: Surface = { entries: [], notChecked: [{ entry: null, why: why ?? tooDeep }] };
    return {
      before: unread,
      after: unread,
      differences: sortDifferences([...plain, unknownEntry('.', why ?? tooDeep)]),
    };
  }
  return {
    // First what is there: a comparison that is too much leaves the checker useless.
    before: surfaceOrWhy(() => surfaceOf('old', before, program)),
    after: surfaceOrWhy(() => surfaceOf('new', after, program)),
    differences: sortDifferences([...plain, ...compareNames(before, after, program)]),
  };
}

function loadBoth(before: Side, after: Side, libraryText: LibraryText): DeclarationProgram {
  return loadDeclarations(
    {
      old: { tree: before.tree, roots: typeFiles(before) },
      new: { tree: after.tree, roots: typeFiles(after) },
    },
    libraryText,
  );
}

/** @param files of the entry, before and now. */
function unknownEntry(entry: string, why: string, [old, now]: readonly [string?, string?] = []): Difference {
  const place = (file: string | undefined) => (file === undefined ? null : { file, line: 1 });
  return {
    name: entry,
    entry,
    effect: 'unknown',
    why,
    old: old ?? null,
    new: now ?? null,
    oldPlace: place(old),
    newPlace: place(now),
  };
}

function sideOf(tree: NodeTree): Side {
  const nested = (folder: string) => {
    if (folder === '') return tree.manifest;
    const text = tree.text(`${folder}/package.json`);
    try {
      return text === null ? null : parsePackageJson(text, `${folder}/package.json`);
    } catch (error) {
      if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
      return null;
    }
  };
  const pkg: NodePackage = { manifest: tree.manifest, has: tree.has, nested };
  return { tree, pkg, routes: routesOf(tree), scripts: new ScriptReader(tree, pkg) };
}

const typeFiles = ({ routes }: Side) => [...new Set(routes.flatMap(({ types }) => (types === null ? [] : [types])))];

const isScript = (file: string | null): file is string => file !== null && /\.[cm]?jsx?$/.test(file);

/** Whether `require` finds an ES module in a file. */
function isModuleFile(code: string, pkg: NodePackage, tree: NodeTree): boolean {
  if (!isScript(code)) return false;
  const system = moduleSystemOf(code, pkg);
  return system === null ? /^\s*(?:import|export)\b/m.test(tree.text(code) ?? '') : system === 'module';
}

/** Ways that lead to the same files are one. */
function distinct(routes: readonly Route[]): Route[] {
  return [
    ...new Map(
      routes.map((route) => [`${route.entry}\0${route.types ?? route.code}`, route] as const).reverse(),
    ).values(),
  ].reverse();
}

function surfaceOf(name: 'old' | 'new', side: Side, program: DeclarationProgram): Surface {
  const notChecked: NotChecked[] = [];
  const byEntry = new Map<string, Map<string, SurfaceName>>();
  for (const route of distinct(side.routes)) {
    const names = byEntry.get(route.entry) ?? new Map<string, SurfaceName>();
    byEntry.set(route.entry, names);
    for (const found of namesOf(route, { name, side, program, notChecked }))
      if (!names.has(found.name)) names.set(found.name, found);
  }
  const programs = [...programsOf(side.tree)].map(([program, file]) => ({
    name: program,
    kind: 'program',
    signature: file,
    place: { file: 'package.json', line: 1 },
  }));
  const entries = [...byEntry].map(([entry, names]) => ({ entry, names: [...names.values()] }));
  return {
    entries: programs.length === 0 ? entries : [...entries, { entry: 'bin', names: programs }],
    notChecked: [...notChecked, ...outsideNote(program)],
  };
}

/** What is used from outside counts as itself. */
function outsideNote({ outside }: DeclarationProgram): NotChecked[] {
  const names = [...outside].filter((specifier) => !/^[.#/]/.test(specifier)).sort();
  if (names.length === 0) return [];
  const list = names.length > 6 ? `${names.slice(0, 6).join(', ')} and ${names.length - 6} more` : names.join(', ');
  return [{ entry: null, why: `types from other packages are not read: ${list}` }];
}

function namesOf(
  route: Route,
  {
    name,
    side: { scripts },
    program,
    notChecked,
  }: {
    readonly name: 'old' | 'new';
    readonly side: Side;
    readonly program: DeclarationProgram;
    readonly notChecked: NotChecked[];
  },
): SurfaceName[] {
  if (route.types === null) {
    if (!isScript(route.code)) return [];
    const found = scripts.names(route.code, route.mode);
    if (!found.isComplete)
      notChecked.push({ entry: route.entry, why: `${route.code} makes some of its exports at run time` });
    return scriptSurface(found);
  }
  const module = program.moduleOf(name, route.types);
  if (typeof module !== 'string') return listNames(program, module);
  notChecked.push({ entry: route.entry, why: whyNoModule(route.types, module) });
  return [];
}

function whyNoModule(file: string, module: 'script' | 'broken'): string {
  return module === 'script'
    ? `${file} declares global names or modules of other names, which are not read`
    : `${file} is too large to be read, or cannot be read`;
}

function compareNames(before: Side, after: Side, program: DeclarationProgram): Difference[] {
  const others = new Map(after.routes.map((route) => [routeKey(route), route]));
  const done = new Set<string>();
  return before.routes.flatMap((old): Difference[] => {
    const now = others.get(routeKey(old));
    if (now === undefined) return [];
    const pair = `${old.entry}\0${old.types ?? old.code}\0${now.types ?? now.code}`;
    if (done.has(pair)) return [];
    done.add(pair);
    if (old.types === null && now.types === null) {
      if (!isScript(old.code) || !isScript(now.code)) return [];
      return compareScripts(
        old.entry,
        before.scripts.names(old.code, old.mode),
        after.scripts.names(now.code, now.mode),
      );
    }
    if (old.types === null || now.types === null) return declarationsCameOrWent(old, now);
    return compareTypes(old.entry, [old.types, now.types], { before, after, program });
  });
}

function declarationsCameOrWent(old: Route, now: Route): Difference[] {
  const came = old.types === null;
  if (came ? old.code === null : now.code === null) return [];
  const place = (file: string | null) => (file === null ? null : { file, line: 1 });
  return [
    {
      name: old.entry,
      entry: old.entry,
      effect: came ? 'addition' : 'breaking',
      why: came ? 'it has type declarations now' : 'its type declarations were removed',
      old: old.types,
      new: now.types,
      oldPlace: place(old.types),
      newPlace: place(now.types),
    },
  ];
}

function compareTypes(
  entry: string,
  [old, now]: readonly [string, string],
  { before, after, program }: { readonly before: Side; readonly after: Side; readonly program: DeclarationProgram },
): Difference[] {
  const unknown = (why: string) => unknownEntry(entry, why, [old, now]);
  const [from, to] = [program.moduleOf('old', old), program.moduleOf('new', now)];
  if (typeof from === 'string' || typeof to === 'string') {
    const isSame = before.tree.text(old) !== null && before.tree.text(old) === after.tree.text(now);
    const [file, why] = typeof from === 'string' ? [old, from] : [now, to];
    return isSame || typeof why !== 'string' ? [] : [unknown(whyNoModule(file, why))];
  }
  const reports: Report[] = [];
  const comparison = new TypeComparison(program, (report) => reports.push(report));
  const why = whyStopped(() => comparison.module(from, to));
  const found = mostImportant(reports.filter((report) => !isOwnVersion(report, before, after))).map(
    (report): Difference => ({
      name: report.name,
      entry,
      effect: report.effect,
      why: report.why,
      old: report.old?.text ?? null,
      new: report.new?.text ?? null,
      oldPlace: placeOf(program, report.old?.symbol),
      newPlace: placeOf(program, report.new?.symbol),
    }),
  );
  const stopped = why ?? (comparison.isExhausted ? tooMuch : null);
  return stopped === null ? found : [...found, unknown(stopped)];
}

/** A constant that says which version the package has differs in every release. */
function isOwnVersion({ old, new: now }: Report, before: Side, after: Side): boolean {
  const says = (text: string | undefined, { tree }: Side) =>
    typeof tree.manifest['version'] === 'string' && text?.endsWith(JSON.stringify(tree.manifest['version'])) === true;
  return says(old?.text, before) && says(now?.text, after);
}

/** A name that breaks users is not also reported as compatible from another point of view. */
function mostImportant(reports: readonly Report[]): Report[] {
  const serious = new Set(reports.filter(({ effect }) => effect === 'breaking').map(({ name }) => name));
  return reports.filter(({ name, effect }) => effect === 'breaking' || effect === 'addition' || !serious.has(name));
}
