import ts from 'typescript';
import { blankPrivate } from './blank-private.ts';
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
  /** Files that are the same in both trees with all that they use need no comparison. */
  readonly isShared: (path: string) => boolean;
  /** Files outside of the package, by declaration file. */
  readonly outside: ReadonlySet<string>;
};

/** A file as it is given to the checker, and what it refers to. */
type Prepared = { readonly text: string; readonly uses: readonly string[] };

const maxFileBytes = 8 << 20;

const options: ts.CompilerOptions = {
  strict: true,
  target: ts.ScriptTarget.ESNext,
  module: ts.ModuleKind.ESNext,
  moduleResolution: ts.ModuleResolutionKind.Bundler,
  esModuleInterop: true,
  skipLibCheck: true,
  noEmit: true,
  types: [],
  lib: ['lib.esnext.d.ts', 'lib.dom.d.ts'],
  libReplacement: false,
};

/**
 * Loads declaration files of one or two trees into one checker. Files that are alike with everything they use are loaded once,
 * so that their types are the same ones and cost nothing to compare.
 */
export function loadDeclarations(
  trees: Readonly<Partial<Record<'old' | 'new', { readonly tree: NodeTree; readonly roots: readonly string[] }>>>,
  libraryText: LibraryText,
): DeclarationProgram {
  const prepared = { old: new Map<string, Prepared | null>(), new: new Map<string, Prepared | null>() };
  const outside: OutsideNames = new Map();
  const globals = new Map<string, Set<string>>();
  for (const side of ['old', 'new'] as const) {
    const from = trees[side];
    if (from !== undefined) prepareFiles(from.tree, from.roots, { prepared: prepared[side], outside, globals });
  }
  const shared = sharedFiles(prepared.old, prepared.new);
  const nameOf = (side: 'old' | 'new', path: string) => `/${shared.has(path) ? 'both' : side}/${path}`;
  const preparedAt = (fileName: string): Prepared | null => {
    const [, side = '', path = ''] = /^\/(old|new|both)\/(.*)$/s.exec(fileName) ?? [];
    return side === '' ? null : (prepared[side === 'old' ? 'old' : 'new'].get(path) ?? null);
  };
  const sources = new Map<string, ts.SourceFile | undefined>();
  const sourceOf = (fileName: string): ts.SourceFile | undefined => {
    if (fileName.startsWith('/library/')) return libraryFile(fileName, libraryText);
    if (fileName === '/outside/globals.d.ts') return fromText(fileName, outsideGlobals(globals));
    if (fileName.startsWith('/outside/'))
      return fromText(fileName, outsideModule(outside.get(specifierFrom(fileName)) ?? new Map()));
    const found = preparedAt(fileName);
    return found === null ? undefined : ts.createSourceFile(fileName, found.text, ts.ScriptTarget.ESNext, false);
  };
  const host: ts.CompilerHost = {
    getSourceFile: (fileName) => {
      if (!sources.has(fileName)) sources.set(fileName, sourceOf(fileName));
      return sources.get(fileName);
    },
    getDefaultLibFileName: () => '/library/lib.esnext.d.ts',
    getDefaultLibLocation: () => '/library',
    writeFile: () => {},
    getCurrentDirectory: () => '/',
    getCanonicalFileName: (fileName) => fileName,
    useCaseSensitiveFileNames: () => true,
    getNewLine: () => '\n',
    fileExists: (fileName) => fileName.startsWith('/outside/') || preparedAt(fileName) !== null,
    readFile: (fileName) => preparedAt(fileName)?.text,
    directoryExists: () => false,
    getDirectories: () => [],
    resolveModuleNameLiterals: (literals, containingFile) => {
      const [, place = '', path = ''] = /^\/(old|new|both)\/(.*)$/s.exec(containingFile) ?? [];
      const side = place === 'old' ? 'old' : 'new';
      const tree = trees[side]?.tree;
      return literals.map(({ text }) => {
        const found = tree === undefined ? null : locateDeclaration(text, path, tree);
        const resolvedFileName =
          found !== null && prepared[side].get(found) !== undefined
            ? nameOf(side, found)
            : `/outside/${encodeURIComponent(text)}.d.ts`;
        return { resolvedModule: { resolvedFileName, extension: extensionOf(resolvedFileName) } };
      });
    },
  };
  const rootNames = (['old', 'new'] as const).flatMap((side) =>
    (trees[side]?.roots ?? []).map((path) => nameOf(side, path)),
  );
  const program = ts.createProgram({
    rootNames: [...new Set([...rootNames, '/outside/globals.d.ts'])],
    options,
    host,
  });
  const checker = program.getTypeChecker();
  return {
    checker,
    moduleOf: (side, path) => {
      const source = program.getSourceFile(nameOf(side, path));
      if (source === undefined) return 'broken';
      // Only the checker's own view of a file has its module symbol.
      return (source as ts.SourceFile & { readonly symbol?: ts.Symbol }).symbol ?? 'script';
    },
    sideOf: ({ fileName }) => (/^\/(old|new|both)\//.exec(fileName)?.[1] as Side | undefined) ?? null,
    pathOf: ({ fileName }) => fileName.replace(/^\/(?:old|new|both)\//, ''),
    isShared: (path) => shared.has(path),
    outside: new Set(outside.keys()),
  };
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
