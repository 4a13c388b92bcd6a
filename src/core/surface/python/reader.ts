import { compareItems, type ItemSide, surfaceOfItems } from '../items.ts';
import type { SurfaceReader, SurfaceSource, SurfaceTools } from '../reader.ts';
import type { NotChecked, Surface } from '../surface.ts';
import { loadParser, type Parse } from '../syntax/parser.ts';
import { readSources } from '../syntax/read-sources.ts';
import { comparePythonMetadata, pythonPrograms } from './compare-metadata.ts';
import { pythonRules } from './compare-python.ts';
import { PythonLibrary } from './library.ts';
import { isPublicModule, listPythonItems, type PythonDetail } from './list-items.ts';
import { compiledModules, modulePlaces } from './module-places.ts';
import { type ModulePlace, readPythonModule } from './read-module.ts';

/** Wheels and source distributions. */
export const pythonSurfaceReader: SurfaceReader = {
  wants: (path) => /\.pyi?$|^[^/]+\.dist-info\/entry_points\.txt$|^pyproject\.toml$/.test(path),
  read: async (source, tools) =>
    withPrograms(surfaceOfItems(sideOf(source, await loadParser('python', tools)).side), source),
  compare: async (old, now, tools) => comparePython(old, now, tools),
};

async function comparePython(old: SurfaceSource, now: SurfaceSource, tools: SurfaceTools) {
  const parse = await loadParser('python', tools);
  const [before, after] = [sideOf(old, parse), sideOf(now, parse)];
  const compared = compareItems(
    [before.side, after.side],
    pythonRules(before.library, after.library),
    comparePythonMetadata(old, now),
  );
  return { ...compared, before: withPrograms(compared.before, old), after: withPrograms(compared.after, now) };
}

function withPrograms(surface: Surface, source: SurfaceSource): Surface {
  const names = pythonPrograms(source).map((program) => ({ ...program, kind: 'program', place: null }));
  return names.length === 0 ? surface : { ...surface, entries: [...surface.entries, { entry: 'metadata', names }] };
}

type Side = { readonly side: ItemSide<PythonDetail>; readonly library: PythonLibrary };

function sideOf(source: SurfaceSource, parse: Parse): Side {
  const places = modulePlaces(source);
  const notChecked: NotChecked[] = [];
  const modules = readSources({ source, parse, paths: [...places.keys()], notChecked }, (root, path) =>
    readPythonModule(root, places.get(path) as ModulePlace),
  );
  const unread = new Set(notChecked.map(({ entry }) => places.get(entry ?? '')?.name));
  const library = new PythonLibrary(modules);
  for (const module of modules) {
    const why = library.whyDynamic(module);
    if (why !== null && isPublicModule(module.name)) notChecked.push({ entry: module.name, why });
  }
  const compiled = compiledModules(source, new Set(modules.map(({ name }) => name)));
  notChecked.push(...compiled);
  for (const { entry } of compiled) unread.add(entry ?? undefined);
  const isUnread = (entry: string) => unread.has(entry);
  return { side: { items: listPythonItems(library), notChecked, isUnread }, library };
}
