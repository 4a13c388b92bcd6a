import { objectOf, textOf } from '../../manifest/fields.ts';
import { compareItems, type ItemSide, surfaceOfItems } from '../items.ts';
import type { SurfaceReader, SurfaceSource, SurfaceTools } from '../reader.ts';
import type { NotChecked, Surface } from '../surface.ts';
import { loadParser, type Parse } from '../syntax/parser.ts';
import { readSources } from '../syntax/read-sources.ts';
import { compareCrateManifests, defaultFeatures, featuresOf, rustPrograms } from './compare-manifests.ts';
import { CrateTree } from './crate-tree.ts';
import type { RustModule } from './definitions.ts';
import { listRustItems, type RustDetail } from './list-items.ts';
import { readRustFile, wordsOf } from './read-file.ts';
import { rustRules } from './rust-rules.ts';

/** Crates, from their sources. */
export const rustSurfaceReader: SurfaceReader = {
  wants: (path) => path.endsWith('.rs') && !/^(?:tests|benches|examples)\//.test(path),
  read: async (source, tools) => withPrograms(surfaceOfItems(sideOf(source, await loadParser('rust', tools))), source),
  compare: async (old, now, tools) => compareCrates(old, now, tools),
};

async function compareCrates(old: SurfaceSource, now: SurfaceSource, tools: SurfaceTools) {
  const parse = await loadParser('rust', tools);
  const [before, after] = [sideOf(old, parse), sideOf(now, parse)];
  const rules = rustRules({
    enabled: defaultFeatures(featuresOf(now)),
    unreadBefore: before.unread,
    unreadNow: after.unread,
  });
  const compared = compareItems([before, after], rules, compareCrateManifests(old, now));
  return { ...compared, before: withPrograms(compared.before, old), after: withPrograms(compared.after, now) };
}

function withPrograms(surface: Surface, source: SurfaceSource): Surface {
  const place = { file: 'Cargo.toml', line: 1 };
  const programs = [...rustPrograms(source)].map(([name, file]) => ({
    ...{ name, kind: 'program', signature: `${name} = ${file}`, place },
  }));
  const features = [...featuresOf(source).keys()].map((name) => ({ name, kind: 'feature', signature: name, place }));
  const names = [...features, ...programs];
  return names.length === 0 ? surface : { ...surface, entries: [...surface.entries, { entry: 'Cargo.toml', names }] };
}

/** What is there, and every word of what could not be read. */
type Side = ItemSide<RustDetail> & { readonly unread: ReadonlySet<string> };

function sideOf(source: SurfaceSource, parse: Parse): Side {
  const library = objectOf(source.manifest?.['lib']);
  const root = textOf(library['path']) ?? 'src/lib.rs';
  const crate =
    textOf(library['name']) ?? (textOf(objectOf(source.manifest?.['package'])['name']) ?? 'crate').replaceAll('-', '_');
  const notChecked: NotChecked[] = [];
  if (!source.paths.includes(root)) return { items: [], notChecked, unread: new Set(), isUnread: () => false };
  const paths = source.paths.filter((path) => rustSurfaceReader.wants(path));
  const broken = new Map<string, ReadonlySet<string>>();
  const modules = readSources({ source, parse, paths, notChecked }, (node, path): RustModule => {
    if (node.hasError) broken.set(path, wordsOf(node));
    return readRustFile(node, path);
  });
  const unread = new Set<string>();
  const tree = new CrateTree(root, new Map(modules.map((module) => [module.file, module])));
  for (const node of tree.nodes()) {
    const { file, calls } = node.module;
    const entry = [crate, ...node.path].join('::');
    for (const word of broken.get(file) ?? []) unread.add(word);
    if (broken.delete(file)) notChecked.push({ entry, why: `parts of ${file} could not be read` });
    const open = calls.filter(({ name }) => !quiet.has(name));
    for (const { words } of open) for (const word of words) unread.add(word);
    const names = [...new Set(open.map(({ name }) => name))];
    if (names.length > 0)
      notChecked.push({ entry, why: `what ${names.map((name) => `${name}!`).join(', ')} may define is not read` });
  }
  for (const path of tree.missing)
    notChecked.push({ entry: `${crate}::${path}`, why: 'the file of the module is not inside' });
  const isProcMacro = library['proc-macro'] === true || library['proc_macro'] === true;
  const { items, isCut } = listRustItems(tree, crate, isProcMacro);
  if (isCut) notChecked.push({ entry: crate, why: 'its modules pass each other on in too many ways to be listed' });
  const missing = tree.missing.map((path) => `${crate}::${path}`);
  const isRootMissing = !modules.some(({ file }) => file === root);
  const isUnread = (entry: string) =>
    isRootMissing || isCut || missing.some((path) => `${entry}::`.startsWith(`${path}::`));
  return { items, notChecked, unread, isUnread };
}

/** Macros that define no public names. */
const quiet = new Set(['compile_error', 'assert', 'const_assert', 'static_assertions', 'doctest', 'debug_assert']);
