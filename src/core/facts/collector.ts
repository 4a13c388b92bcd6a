import { objectOf } from '../manifest/fields.ts';
import { parseJson } from '../text/json.ts';
import { type BundledFacts, readBundled } from './bundled.ts';
import { readClassName } from './class-file.ts';
import type { DeclarationFacts } from './declarations.ts';
import { type ElfFacts, readElf } from './elf.ts';
import type { FileFacts, PythonFacts, SourceMapFacts } from './facts.ts';
import { MarkScanner } from './marks.ts';
import { hasImportHooks, readOwnImports, readPythonImports, readPythonNames } from './python-imports.ts';
import { readScript, type ScriptFacts } from './script.ts';
import type { Mark } from './shape.ts';

const maxBytes: Readonly<Record<FileKind, number>> = {
  script: 8 << 20,
  declaration: 8 << 20,
  python: 8 << 20,
  map: 32 << 20,
  elf: 64 << 20,
  class: 8 << 20,
};

const innerChunk = 1 << 20;

type FileKind = 'script' | 'declaration' | 'python' | 'map' | 'elf' | 'class';

/**
 * Takes the bytes of an artifact's files as they stream by and keeps what rules want to know of them. One file at a time is
 * held, and only of the kinds that are read whole; declaration files wait for a reader that is slow to load.
 */
export class FactCollector {
  readonly #scanner: MarkScanner;
  readonly #innerMarks: Mark[] = [];
  #innerScanner: MarkScanner | null = null;
  readonly #scripts = new Map<string, ScriptFacts>();
  readonly #bundled = new Map<string, BundledFacts>();
  readonly #python = new Map<string, PythonFacts>();
  readonly #elf = new Map<string, ElfFacts | null>();
  readonly #classNames = new Map<string, string | null>();
  readonly #maps = new Map<string, SourceMapFacts | null>();
  readonly #unread: string[] = [];
  readonly #declarationTexts = new Map<string, string>();
  #open: { path: string; kind: FileKind; parts: Buffer[]; sizeBytes: number } | null = null;

  /** @param ownPlaces folders of this machine that nothing shipped should name. */
  constructor(ownPlaces: readonly string[] = []) {
    this.#scanner = new MarkScanner(ownPlaces);
  }

  chunk(path: string, chunk: Uint8Array, isFirst: boolean): void {
    this.#scanner.chunk(path, chunk, isFirst);
    if (isFirst) {
      this.#close();
      const kind = kindOf(path, chunk);
      this.#open = kind === null ? null : { path, kind, parts: [], sizeBytes: 0 };
    }
    const open = this.#open;
    if (open === null) return;
    open.sizeBytes += chunk.byteLength;
    if (open.sizeBytes > maxBytes[open.kind]) {
      this.#unread.push(path);
      this.#open = null;
    } else open.parts.push(Buffer.from(chunk));
  }

  /** Looks for secrets in a file of an archive that lies in the artifact. */
  inner(path: string, { name, bytes }: { readonly name: string; readonly bytes: Uint8Array }): void {
    this.#innerScanner ??= new MarkScanner(null);
    const { found } = this.#innerScanner;
    const before = found.length;
    for (let at = 0; at < bytes.length; at += innerChunk)
      this.#innerScanner.chunk(`${path}\0${name}`, bytes.subarray(at, at + innerChunk), at === 0);
    for (const mark of found.slice(before)) this.#innerMarks.push({ ...mark, path, inside: name });
  }

  /** Whether a reader of declaration files is needed. */
  hasDeclarations(): boolean {
    this.#close();
    return this.#declarationTexts.size > 0;
  }

  /** @param readDeclarations null to leave declaration files unread. */
  finish(readDeclarations: ((text: string) => DeclarationFacts) | null): FileFacts {
    this.#close();
    const declarations = new Map<string, DeclarationFacts>();
    if (readDeclarations !== null)
      for (const [path, text] of this.#declarationTexts) declarations.set(path, readDeclarations(text));
    return {
      marks: [...this.#scanner.found, ...this.#innerMarks],
      scripts: this.#scripts,
      bundled: this.#bundled,
      declarations,
      python: this.#python,
      elf: this.#elf,
      classNames: this.#classNames,
      maps: this.#maps,
      unread: this.#unread,
    };
  }

  #close(): void {
    if (this.#open === null) return;
    const { path, kind, parts } = this.#open;
    this.#open = null;
    const bytes = Buffer.concat(parts);
    if (kind === 'elf') this.#elf.set(path, readElf(bytes));
    else if (kind === 'class') this.#classNames.set(path, readClassName(bytes));
    else if (kind === 'declaration') this.#declarationTexts.set(path, bytes.toString('utf8'));
    else if (kind === 'map') this.#maps.set(path, readSourceMap(bytes.toString('utf8')));
    else if (kind === 'script') this.#readScript(path, bytes.toString('utf8'));
    else {
      const text = bytes.toString('utf8');
      this.#python.set(path, {
        imports: readPythonImports(text),
        named: readOwnImports(text),
        hasHooks: hasImportHooks(text),
        ...readPythonNames(text),
      });
    }
  }

  #readScript(path: string, text: string): void {
    this.#scripts.set(path, readScript(text));
    const bundled = readBundled(text);
    if (bundled !== null) this.#bundled.set(path, bundled);
  }
}

function kindOf(path: string, head: Uint8Array): FileKind | null {
  if (/\.d\.[cm]?ts$/.test(path)) return 'declaration';
  if (/\.[cm]?js$/.test(path)) return 'script';
  if (path.endsWith('.py')) return 'python';
  if (/\.[cm]?js\.map$|\.css\.map$/.test(path)) return 'map';
  if (head[0] === 0x7f && head[1] === 0x45 && head[2] === 0x4c && head[3] === 0x46) return 'elf';
  if (path.endsWith('.class')) return 'class';
  // A program without an extension, recognised by its first line.
  const first = Buffer.from(head.subarray(0, 64)).toString('latin1');
  return /^#!\S*[/ ]node\b/.test(first) ? 'script' : null;
}

function readSourceMap(text: string): SourceMapFacts | null {
  try {
    const map = objectOf(parseJson(text.replace(/^\)\]\}'[^\n]*\n/, '')));
    const sources = Array.isArray(map['sources']) ? map['sources'].filter((item) => typeof item === 'string') : [];
    const contents = Array.isArray(map['sourcesContent']) ? map['sourcesContent'] : [];
    return {
      sources,
      hasContent: sources.length > 0 && sources.every((_, index) => typeof contents[index] === 'string'),
    };
  } catch (error) {
    if (error instanceof SyntaxError) return null;
    throw error;
  }
}
