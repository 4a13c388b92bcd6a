import { compareDotted, readElfSymbols } from '../../facts/elf.ts';
import {
  breaking,
  compareItems,
  compatible,
  type Item,
  type ItemSide,
  plainDifference,
  surfaceOfItems,
} from '../items.ts';
import type { SurfaceReader, SurfaceSource } from '../reader.ts';
import type { Difference, NotChecked } from '../surface.ts';
import { loadParser, type Parse } from '../syntax/parser.ts';
import { readSources } from '../syntax/read-sources.ts';
import { declaringMacros, decorations, plainHeader } from './header-text.ts';
import { headerItems, type NativeDetail, type NativeLibrary, symbolItems } from './list-items.ts';
import { type NativeSide, nativeRules } from './native-rules.ts';
import { type CHeader, readHeader } from './read-header.ts';

const library = /(?:^|\/)([^/]+\.so)(?:\.\d+)*$/;
const header = /(?:^|\/)include\/(.*\.h)$/;
const machineCode = /\.(?:dylib|dll|lib)$/i;
const settings =
  /(?:^|\/)(?:lib|share)\/(?:.*\/)?(?:pkgconfig\/[^/]+\.pc|cmake\/.*Config\.cmake|cmake\/.*-config\.cmake)$/;

/** Archives with libraries and headers, and packages of Debian. */
export const nativeSurfaceReader: SurfaceReader = {
  wants: (path) => library.test(path) || header.test(path),
  applies: (paths) => paths.some((path) => library.test(path) || header.test(path)),
  read: async (source, tools) => surfaceOfItems(sideOf(source, await loadParser('c', tools)).side),
  compare: async (old, now, tools) => {
    const parse = await loadParser('c', tools);
    const [before, after] = [sideOf(old, parse), sideOf(now, parse)];
    return compareItems(
      [before.side, after.side],
      nativeRules(before.read, after.read),
      compareLibraries(before.read, after.read),
    );
  },
};

type Side = { readonly side: ItemSide<NativeDetail>; readonly read: NativeSide };

function sideOf(source: SurfaceSource, parse: Parse): Side {
  const notChecked: NotChecked[] = [];
  const libraries = librariesOf(source, notChecked);
  const headers = headersOf(source, { parse, notChecked });
  const files = source.paths
    .filter((path) => settings.test(path))
    .map((path): Item<NativeDetail> => {
      const name = path.slice(path.lastIndexOf('/') + 1);
      return {
        entry: 'build settings',
        name,
        key: name,
        owner: null,
        kind: 'file',
        signature: name,
        place: { file: path, line: null },
        detail: { type: 'file' },
      };
    });
  const items = [
    ...libraries.flatMap(symbolItems),
    ...[...headers].flatMap(([entry, found]) => headerItems(found, entry)),
    ...files,
  ];
  const unread = new Set(
    source.paths
      .flatMap((path) => library.exec(path)?.[1] ?? header.exec(path)?.[1] ?? [])
      .filter((entry) => !headers.has(entry) && !libraries.some((one) => one.entry === entry)),
  );
  return { side: { items, notChecked, isUnread: (entry) => unread.has(entry) }, read: { libraries, headers } };
}

function librariesOf(source: SurfaceSource, notChecked: NotChecked[]): NativeLibrary[] {
  const found = new Map<string, NativeLibrary>();
  for (const path of source.paths) {
    const entry = library.exec(path)?.[1];
    if (entry === undefined) {
      const isOther = machineCode.test(path);
      if (isOther) notChecked.push({ entry: path, why: 'only libraries in the format ELF are read' });
      continue;
    }
    // A link to the library has no content of its own.
    const bytes = source.bytes(path);
    if (bytes === null || bytes.byteLength === 0) continue;
    const elf = readElfSymbols(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
    if (elf === null)
      notChecked.push({ entry: path, why: 'it is no shared library in the format ELF that can be read' });
    else found.set(entry, { entry, file: path, elf });
  }
  const unread = new Set(source.paths.flatMap((path) => library.exec(path)?.[1] ?? []));
  for (const entry of unread)
    if (!found.has(entry) && !notChecked.some(({ entry: path }) => path !== null && library.exec(path)?.[1] === entry))
      notChecked.push({ entry, why: 'it is too large to be read, or only a link' });
  return [...found.values()];
}

/** Headers by the path that users write. */
function headersOf(
  source: SurfaceSource,
  { parse, notChecked }: { readonly parse: Parse; readonly notChecked: NotChecked[] },
): Map<string, CHeader> {
  const paths = source.paths.filter((path) => header.test(path));
  const decoder = new TextDecoder();
  const texts = paths.map((path) => decoder.decode(source.bytes(path) ?? new Uint8Array()));
  const known = decorations(texts);
  const ofCpp = new Set(paths.filter((_, index) => isCpp(texts[index] ?? '')));
  for (const path of ofCpp) notChecked.push({ entry: path, why: 'headers of C++ are not read' });
  for (const [index, path] of paths.entries()) {
    const macros = declaringMacros(texts[index] ?? '');
    if (macros.length > 0 && !ofCpp.has(path))
      notChecked.push({
        entry: path,
        why: `what ${macros.slice(0, 3).join(', ')}${macros.length > 3 ? ' and more macros' : ''} declare is not read`,
      });
  }
  const wanted = paths.filter((path) => !ofCpp.has(path));
  const prepare = (text: string) => plainHeader(text, known);
  const read = readSources({ source, parse, paths: wanted, notChecked, prepare }, (root, path) => {
    if (root.hasError) notChecked.push({ entry: path, why: 'parts of it are not plain C and were not read' });
    return readHeader(root, path, known);
  });
  return new Map(read.map((found) => [header.exec(found.path)?.[1] ?? found.path, found]));
}

/** Whether a header is one for C++ alone: it uses its words outside of what only C++ compilers see. */
function isCpp(text: string): boolean {
  return /^\s*(?:namespace\s+[\w:]+|template\s*<|class\s+\w+[^;]*$|using\s+\w+\s*=)/m.test(
    plainHeader(text, new Set()),
  );
}

function compareLibraries(old: NativeSide, now: NativeSide): Difference[] {
  const after = new Map(now.libraries.map((found) => [found.entry, found]));
  return old.libraries.flatMap(({ entry, file, elf }): Difference[] => {
    const other = after.get(entry);
    if (other === undefined) return [];
    const at = (name: string) => ({ name, entry, place: { file: other.file, line: null } });
    const sides = (before: string | null, later: string | null) => ({ old: before, new: later });
    const found: Difference[] = [];
    if (elf.soname !== other.elf.soname)
      found.push({
        ...plainDifference(
          at('soname'),
          breaking('linked programs ask for the old soname'),
          sides(elf.soname, other.elf.soname),
        ),
        oldPlace: { file, line: null },
      });
    if (elf.machine !== other.elf.machine)
      found.push(
        plainDifference(
          at('machine'),
          breaking('it is built for another machine'),
          sides(String(elf.machine), String(other.elf.machine)),
        ),
      );
    const [was, is] = [elf.cLibrary, other.elf.cLibrary];
    if (was !== is && is !== null)
      found.push(
        plainDifference(
          at('C library'),
          was === null || compareDotted(is, was) > 0
            ? breaking('older systems no longer run it')
            : compatible('older systems run it'),
          sides(was === null ? null : `GLIBC_${was}`, `GLIBC_${is}`),
        ),
      );
    return found;
  });
}
