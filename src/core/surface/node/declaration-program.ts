import ts from 'typescript';
import { blankPrivate } from './blank-private.ts';
import { browserLibrary, meansBrowser } from './browser-names.ts';
import { countingChecker } from './checker-internals.ts';
import {
  collectGlobals,
  collectOutsideNames,
  type OutsideNames,
  outsideGlobals,
  outsideModule,
} from './outside-names.ts';
import { locateDeclaration, type NodeTree } from './type-tree.ts';

/** Text of one of the compiler's own declaration files, such as `lib.es5.d.ts`; null when there is none. */
export type LibraryText = (name: string) => string | null;

/** Which of two trees a file is in; `both` where it and all that it uses are the same in the two. */
export type Side = 'old' | 'new' | 'both';

/** One checker over one or two trees. */
export type DeclarationProgram = {
  readonly checker: ts.TypeChecker;
  /** The module symbol of a declaration file; `global` for a script, `broken` where it cannot be read. */
  readonly moduleOf: (side: 'old' | 'new', path: string) => ts.Symbol | 'script' | 'broken';
  readonly sideOf: (file: ts.SourceFile) => Side | null;
  readonly pathOf: (file: ts.SourceFile) => string;
  /** Files outside of the package, by declaration file. */
  readonly outside: ReadonlySet<string>;
};

/** A file as it is given to the checker, and what it refers to. */
type Prepared = { readonly text: string; readonly uses: readonly string[] };

const maxFileBytes = 8 << 20;
/** Types that the checker may make for one package: each has some hundred bytes. */
const maxTypes = 1_000_000;

/** The types of a package are too many to be compared. */
export class TooManyTypes extends Error {}

const options: ts.CompilerOptions = {
  strict: true,
  target: ts.ScriptTarget.ESNext,
  module: ts.ModuleKind.ESNext,
  moduleResolution: ts.ModuleResolutionKind.Bundler,
  esModuleInterop: true,
  skipLibCheck: true,
  noEmit: true,
  types: [],
  libReplacement: false,
};

const languageLibrary = 'lib.esnext.d.ts';

/** The trees by their sides, with the files to begin with. */
type Trees = Readonly<Partial<Record<'old' | 'new', { readonly tree: NodeTree; readonly roots: readonly string[] }>>>;

/** All files of a program, prepared. */
type Files = {
  readonly trees: Trees;
  readonly old: Map<string, Prepared | null>;
  readonly new: Map<string, Prepared | null>;
  readonly shared: ReadonlySet<string>;
  readonly outside: OutsideNames;
  readonly globals: ReadonlyMap<string, ReadonlySet<string>>;
};

/**
 * Loads declaration files of one or two trees into one checker. Files that are alike with everything they use are loaded once,
 * so that their types are the same ones and cost nothing to compare.
 * @throws TooManyTypes, then or at any question to the checker.
 */
export function loadDeclarations(trees: Trees, libraryText: LibraryText): DeclarationProgram {
  const files = prepareTrees(trees);
  const rootNames = (['old', 'new'] as const).flatMap((side) =>
    (trees[side]?.roots ?? []).map((path) => nameIn(files, side, path)),
  );
  const program = ts.createProgram({
    rootNames: [...new Set([...rootNames, globalsFile])],
    options: { ...options, lib: librariesFor(files, libraryText) },
    host: hostOf(files, libraryText),
  });
  let left = maxTypes;
  const checker = countingChecker(program, () => {
    if (left-- <= 0) throw new TooManyTypes();
  });
  return {
    checker,
    moduleOf: (side, path) => {
      const source = program.getSourceFile(nameIn(files, side, path));
      if (source === undefined) return 'broken';
      // Only the checker's own view of a file has its module symbol.
      return (source as ts.SourceFile & { readonly symbol?: ts.Symbol }).symbol ?? 'script';
    },
    sideOf: ({ fileName }) => (/^\/(old|new|both)\//.exec(fileName)?.[1] as Side | undefined) ?? null,
    pathOf: ({ fileName }) => fileName.replace(/^\/(?:old|new|both)\//, ''),
    outside: new Set(files.outside.keys()),
  };
}

/** The compiler's own declarations that files may refer to. */
function librariesFor(files: Files, libraryText: LibraryText): string[] {
  const texts = [...files.old.values(), ...files.new.values()].flatMap((file) => file?.text ?? []);
  const isBrowser = meansBrowser(texts, libraryText(browserLibrary) ?? '');
  return isBrowser ? [languageLibrary, browserLibrary] : [languageLibrary];
}

const globalsFile = '/outside/globals.d.ts';

function prepareTrees(trees: Trees): Files {
  const files = { old: new Map<string, Prepared | null>(), new: new Map<string, Prepared | null>() };
  const outside: OutsideNames = new Map();
  const globals = new Map<string, Set<string>>();
  for (const side of ['old', 'new'] as const) {
    const from = trees[side];
    if (from !== undefined) prepareFiles(from.tree, from.roots, { prepared: files[side], outside, globals });
  }
  return { trees, ...files, shared: sharedFiles(files.old, files.new), outside, globals };
}

/** The name under which a file of a tree is loaded. */
const nameIn = ({ shared }: Files, side: 'old' | 'new', path: string) => `/${shared.has(path) ? 'both' : side}/${path}`;

function preparedAt(files: Files, fileName: string): Prepared | null {
  const [, place = '', path = ''] = /^\/(old|new|both)\/(.*)$/s.exec(fileName) ?? [];
  return place === '' ? null : (files[place === 'old' ? 'old' : 'new'].get(path) ?? null);
}

function sourceOf(files: Files, fileName: string): ts.SourceFile | undefined {
  if (fileName === globalsFile) return fromText(fileName, outsideGlobals(files.globals));
  if (fileName.startsWith('/outside/'))
    return fromText(fileName, outsideModule(files.outside.get(specifierFrom(fileName)) ?? new Map()));
  return fromText(fileName, preparedAt(files, fileName)?.text ?? null);
}

/** What the compiler sees: no disk, only the prepared files, its own library, and what stands for other packages. */
function hostOf(files: Files, libraryText: LibraryText): ts.CompilerHost {
  const sources = new Map<string, ts.SourceFile | undefined>();
  return {
    getSourceFile: (fileName) => {
      if (fileName.startsWith('/library/')) return libraryFile(fileName, libraryText);
      if (!sources.has(fileName)) sources.set(fileName, sourceOf(files, fileName));
      return sources.get(fileName);
    },
    getDefaultLibFileName: () => `/library/${languageLibrary}`,
    getDefaultLibLocation: () => '/library',
    writeFile: () => {},
    getCurrentDirectory: () => '/',
    getCanonicalFileName: (fileName) => fileName,
    useCaseSensitiveFileNames: () => true,
    getNewLine: () => '\n',
    fileExists: (fileName) => fileName.startsWith('/outside/') || preparedAt(files, fileName) !== null,
    readFile: (fileName) => preparedAt(files, fileName)?.text,
    directoryExists: () => false,
    getDirectories: () => [],
    resolveModuleNameLiterals: (literals, containingFile) =>
      literals.map(({ text }) => {
        const resolvedFileName = resolveIn(files, text, containingFile);
        return { resolvedModule: { resolvedFileName, extension: extensionOf(resolvedFileName) } };
      }),
  };
}

function resolveIn(files: Files, specifier: string, containingFile: string): string {
  const [, place = '', path = ''] = /^\/(old|new|both)\/(.*)$/s.exec(containingFile) ?? [];
  const side = place === 'old' ? 'old' : 'new';
  const tree = files.trees[side]?.tree;
  const found = tree === undefined ? null : locateDeclaration(specifier, path, tree);
  const isPrepared = found !== null && (files[side].get(found) ?? null) !== null;
  return isPrepared ? nameIn(files, side, found) : `/outside/${encodeURIComponent(specifier)}.d.ts`;
}

/** The compiler's own declarations are the same for every package. */
const libraryFiles = new Map<string, ts.SourceFile | undefined>();

function libraryFile(fileName: string, libraryText: LibraryText): ts.SourceFile | undefined {
  if (!libraryFiles.has(fileName))
    libraryFiles.set(fileName, fromText(fileName, libraryText(fileName.slice('/library/'.length))));
  return libraryFiles.get(fileName);
}

const specifierFrom = (fileName: string) => decodeURIComponent(fileName.slice('/outside/'.length, -'.d.ts'.length));

function fromText(fileName: string, text: string | null): ts.SourceFile | undefined {
  return text === null ? undefined : ts.createSourceFile(fileName, text, ts.ScriptTarget.ESNext, false);
}

function extensionOf(fileName: string): ts.Extension {
  const found = /\.d\.[cm]?ts$|\.[cm]?tsx?$/.exec(fileName)?.[0];
  return (found ?? '.d.ts') as ts.Extension;
}

/** Reads the roots and everything that they lead to, and collects what they take from outside. */
function prepareFiles(
  tree: NodeTree,
  roots: readonly string[],
  into: {
    readonly prepared: Map<string, Prepared | null>;
    readonly outside: OutsideNames;
    readonly globals: Map<string, Set<string>>;
  },
): void {
  const { prepared, outside, globals } = into;
  const waiting = [...roots];
  for (let path = waiting.pop(); path !== undefined; path = waiting.pop()) {
    if (prepared.has(path)) continue;
    const original = tree.text(path);
    if (original === null || original.length > maxFileBytes) {
      prepared.set(path, null);
      continue;
    }
    const text = blankPrivate(original, path);
    const from = path;
    const locate = (specifier: string) => locateDeclaration(specifier, from, tree);
    const { importedFiles, referencedFiles } = ts.preProcessFile(text, true, false);
    const uses = [
      ...importedFiles.map(({ fileName }) => locate(fileName)),
      ...referencedFiles.map(({ fileName }) => locate(fileName.startsWith('.') ? fileName : `./${fileName}`)),
    ].filter((use) => use !== null);
    if (importedFiles.some(({ fileName }) => locate(fileName) === null)) {
      const source = ts.createSourceFile(path, text, ts.ScriptTarget.ESNext, false);
      collectOutsideNames(source, (specifier) => locate(specifier) === null, outside);
    }
    collectGlobals(text, globals);
    prepared.set(path, { text, uses });
    waiting.push(...uses);
  }
}

/** Paths whose text, and that of all files they lead to, is the same in both trees. */
function sharedFiles(
  old: ReadonlyMap<string, Prepared | null>,
  now: ReadonlyMap<string, Prepared | null>,
): Set<string> {
  const shared = new Set(
    [...old].flatMap(([path, file]) => {
      const other = now.get(path);
      const isAlike = file !== null && other?.text === file.text && other.uses.join('\0') === file.uses.join('\0');
      return isAlike ? [path] : [];
    }),
  );
  const usedBy = new Map<string, string[]>();
  for (const [path, file] of old)
    for (const use of file?.uses ?? []) {
      const users = usedBy.get(use);
      if (users === undefined) usedBy.set(use, [path]);
      else users.push(path);
    }
  const waiting = [...new Set([...old.keys(), ...now.keys()])].filter((path) => !shared.has(path));
  for (let path = waiting.pop(); path !== undefined; path = waiting.pop())
    for (const user of usedBy.get(path) ?? []) if (shared.delete(user)) waiting.push(user);
  return shared;
}
