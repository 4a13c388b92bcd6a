import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { SurfaceReader, SurfaceSource, SurfaceTools } from '../../../src/core/surface/reader.ts';
import type { Effect } from '../../../src/core/surface/surface.ts';

const require = createRequire(import.meta.url);

/** What readers need, from where npm installed it. */
export const tools: SurfaceTools = {
  libraryText: () => null,
  grammar: (name) => readFileSync(require.resolve(`${name}/${name}.wasm`)),
};

/** An artifact of these files. */
export function sourceOf(
  fileName: string,
  files: Readonly<Record<string, string | Uint8Array>>,
  manifest: Readonly<Record<string, unknown>> | null = null,
): SurfaceSource {
  const encoder = new TextEncoder();
  return {
    fileName,
    manifest,
    paths: Object.keys(files),
    bytes: (path) => {
      const found = files[path];
      return found === undefined ? null : typeof found === 'string' ? encoder.encode(found) : found;
    },
  };
}

/** The gravest effect of all differences; `none` where there are none. */
export type Answer = Effect | 'none';

/** A single change: what it is, before, after, what it means for users, and what the way back means. */
export type Change<T = string> = readonly [what: string, old: T, now: T, forward: Answer, back: Answer];

/** What a comparison says as a whole, and every reason. */
export async function judge(
  reader: SurfaceReader,
  [old, now]: readonly [SurfaceSource, SurfaceSource],
): Promise<{ readonly answer: Answer; readonly whys: readonly string[] }> {
  const { differences } = await reader.compare(old, now, tools);
  const whys = differences.map(({ effect, name, why }) => `${effect}: ${name}: ${why}`);
  return { answer: differences[0]?.effect ?? 'none', whys };
}

/** Rows of a table, once as they are and once the other way round. */
export function bothWays<T>(changes: readonly Change<T>[]): readonly (readonly [string, T, T, Answer])[] {
  return changes.flatMap(([what, old, now, forward, back]) => [
    [what, old, now, forward] as const,
    [`${what}, back`, now, old, back] as const,
  ]);
}
