import type { Surface, SurfaceComparison } from './surface.ts';

/** An artifact as a reader of surfaces sees it. */
export type SurfaceSource = {
  readonly fileName: string;
  /** The manifest inside, as its format has it; null when there is none that can be read. */
  readonly manifest: Readonly<Record<string, unknown>> | null;
  /** Paths of files, without the artifact's own top folder. */
  readonly paths: readonly string[];
  /** Bytes of a file that the reader wants; null for one that is not inside, or beyond the limits. */
  readonly bytes: (path: string) => Uint8Array | null;
};

/** What a reader needs beside artifacts. */
export type SurfaceTools = {
  /** Text of a declaration file that comes with the TypeScript compiler; null when there is none of the name. */
  readonly libraryText: (name: string) => string | null;
  /** A file of the parser for sources: its machine, or a grammar. */
  readonly grammar: (name: 'web-tree-sitter' | `tree-sitter-${GrammarName}`) => Uint8Array;
};

/** Languages whose sources are read. */
export type GrammarName = 'python' | 'c' | 'rust' | 'go';

/** Reads what users of one kind of artifact can refer to. */
export type SurfaceReader = {
  /** Whether the content of a file matters; by its path without the artifact's own top folder. */
  readonly wants: (path: string) => boolean;
  /** Whether an artifact of these paths has a surface at all, where not every one of its form has. */
  readonly applies?: (paths: readonly string[]) => boolean;
  readonly read: (source: SurfaceSource, tools: SurfaceTools) => Promise<Surface>;
  readonly compare: (old: SurfaceSource, now: SurfaceSource, tools: SurfaceTools) => Promise<SurfaceComparison>;
};
