import type { BundledFacts } from './bundled.ts';
import type { DeclarationFacts } from './declarations.ts';
import type { ElfFacts } from './elf.ts';
import type { OwnImport, PythonImport } from './python-imports.ts';
import type { ScriptFacts } from './script.ts';
import type { Mark } from './shape.ts';

/** What a source map says (ECMA-426, "Source map format"). */
export type SourceMapFacts = { readonly sources: readonly string[]; readonly hasContent: boolean };

/** What a Python file binds and needs. */
export type PythonFacts = {
  readonly imports: readonly PythonImport[];
  /** The same with all that they name. */
  readonly named: readonly OwnImport[];
  readonly names: ReadonlySet<string>;
  readonly hasStar: boolean;
  /** Whether it changes how modules are found, so that others may come from anywhere. */
  readonly hasHooks: boolean;
};

/** What was read from the bytes of an artifact's files while they went by; by path inside the archive. */
export type FileFacts = {
  readonly marks: readonly Mark[];
  readonly scripts: ReadonlyMap<string, ScriptFacts>;
  /** Scripts whose comments tell of code that others wrote. */
  readonly bundled: ReadonlyMap<string, BundledFacts>;
  readonly declarations: ReadonlyMap<string, DeclarationFacts>;
  readonly python: ReadonlyMap<string, PythonFacts>;
  /** Null for one that cannot be read. */
  readonly elf: ReadonlyMap<string, ElfFacts | null>;
  readonly classNames: ReadonlyMap<string, string | null>;
  readonly maps: ReadonlyMap<string, SourceMapFacts | null>;
  /** Files that would have been read and are too large. */
  readonly unread: readonly string[];
};
