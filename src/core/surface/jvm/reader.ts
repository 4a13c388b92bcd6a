import { shownText } from '../../manifest/fields.ts';
import {
  addition,
  breaking,
  compareItems,
  compareFields as compareNamed,
  compatible,
  type ItemSide,
  plainDifference,
  surfaceOfItems,
} from '../items.ts';
import type { SurfaceReader, SurfaceSource } from '../reader.ts';
import type { Difference, NotChecked } from '../surface.ts';
import { type JvmModule, readClassFile } from './class-file.ts';
import { JvmLibrary } from './jvm-library.ts';
import { jvmRules } from './jvm-rules.ts';
import { type JvmDetail, listJvmItems, packageOf } from './list-items.ts';

/** Jars. Versions for newer Java beside the usual classes must offer the same (JEP 238) and are not read. */
export const jvmSurfaceReader: SurfaceReader = {
  wants: (path) =>
    path.endsWith('.class') &&
    (!path.startsWith('META-INF/') || /^META-INF\/versions\/\d+\/module-info\.class$/.test(path)),
  read: async (source) => surfaceOfItems(sideOf(source).side),
  compare: async (old, now) => {
    const [before, after] = [sideOf(old), sideOf(now)];
    return compareItems([before.side, after.side], jvmRules(before.library, after.library), [
      ...compareModules(old, now, [before, after]),
      ...compareJavaVersions([before, after], now),
    ]);
  },
};

type Side = {
  readonly side: ItemSide<JvmDetail>;
  readonly library: JvmLibrary;
  readonly module: JvmModule | null;
  /** Of the newest class file; 0 without any. */
  readonly major: number;
};

function sideOf(source: SurfaceSource): Side {
  const notChecked: NotChecked[] = [];
  const languages = new Map<string, number>();
  let module: JvmModule | null = null;
  const classes = source.paths
    .filter((path) => jvmSurfaceReader.wants(path))
    .flatMap((path) => {
      const bytes = source.bytes(path);
      const cls = bytes === null ? null : readClassFile(bytes, path);
      if (cls === null)
        notChecked.push({
          entry: path,
          why: bytes === null ? 'it is too large to be read' : 'it is no class file that can be read',
        });
      else if (cls.language !== null) languages.set(cls.language, (languages.get(cls.language) ?? 0) + 1);
      if (cls?.module != null) module = cls.module;
      return cls === null || cls.module !== null ? [] : [cls];
    });
  const unread = new Set(notChecked.map(({ entry }) => packageOf(entry ?? '').replaceAll('/', '.')));
  for (const [language, count] of languages)
    notChecked.push({
      entry: null,
      why: `${count} classes are of ${language}, whose own rules, such as internal names and default arguments, are not read`,
    });
  const library = new JvmLibrary(classes);
  const found = module as JvmModule | null;
  const items = listJvmItems(library, found === null ? null : new Set(found.exports));
  return {
    side: { items, notChecked, isUnread: (entry) => unread.has(entry) },
    library,
    module: found,
    major: classes.reduce((most, { major }) => Math.max(most, major), 0),
  };
}

function compareModules(old: SurfaceSource, now: SurfaceSource, [before, after]: readonly [Side, Side]): Difference[] {
  const listed = (names: readonly string[] | undefined) =>
    new Map((names ?? []).map((name) => [name.replaceAll('/', '.'), name.replaceAll('/', '.')]));
  const at = (what: string) => (name: string) => ({
    name: `${what} ${name}`,
    entry: 'module',
    place: { file: 'module-info.class', line: null },
  });
  const fields = { removed: () => breaking('it was removed'), added: () => addition('new') };
  const [from, to] = [before.module, after.module];
  const name = (module: JvmModule | null, { manifest }: SurfaceSource) =>
    module?.name ??
    (manifest?.['Automatic-Module-Name'] === undefined ? null : shownText(manifest['Automatic-Module-Name']));
  const sides = { old: name(from, old), new: name(to, now) };
  const place = {
    name: 'module',
    entry: 'module',
    place: { file: to === null ? 'META-INF/MANIFEST.MF' : 'module-info.class', line: null },
  };
  const named =
    sides.old === sides.new
      ? []
      : sides.old === null
        ? [plainDifference(place, addition('it is a module of this name'), sides)]
        : [plainDifference(place, breaking('modules that require it no longer find it'), sides)];
  // Without a module, every package can be used; what a new one leaves out shows as removed classes.
  if (from === null || to === null) return named;
  return [
    ...named,
    ...compareNamed([listed(from.exports), listed(to.exports)], at('exports'), fields),
    ...compareNamed([listed(from.opens), listed(to.opens)], at('opens'), fields),
    ...compareNamed([listed(from.transitive), listed(to.transitive)], at('requires transitive'), fields),
  ];
}

/** JVMS §4.1: class files 45 plus n run on Java n plus 1. */
function compareJavaVersions([before, after]: readonly [Side, Side], now: SurfaceSource): Difference[] {
  const [old, major] = [before.major, after.major];
  if (old === major || old === 0 || major === 0) return [];
  const sides = { old: `Java ${old - 44}`, new: `Java ${major - 44}` };
  const place = { name: 'Java', entry: 'module', place: { file: now.fileName, line: null } };
  return [
    plainDifference(
      place,
      major > old ? breaking('older versions of Java no longer run it') : compatible('older versions of Java run it'),
      sides,
    ),
  ];
}
