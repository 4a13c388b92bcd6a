import { stripVTControlCharacters } from 'node:util';
import { type FoundTool, findTool } from '../../../world/tool.ts';

/** Finds the first of these programs whose version begins like the one asked for. */
export async function findVersion({
  names,
  version,
  env,
  signal,
}: {
  readonly names: readonly string[];
  readonly version: string | null;
  readonly env: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
}): Promise<FoundTool | null> {
  for (const name of names) {
    const tool = await findTool(name, env, signal);
    if (tool?.version == null) continue;
    if (version === null || tool.version === version || tool.version.startsWith(`${version}.`)) return tool;
  }
  return null;
}

/** The last lines with something in them that a program printed, for telling why it failed. */
export function lastLines(printed: string): string {
  const lines = stripVTControlCharacters(printed)
    .split('\n')
    .map((line) => line.trimEnd())
    .filter((line) => line.replace(/^\[\w+\]\s*/, '') !== '');
  return lines.slice(-8).join('\n') || 'it printed nothing';
}
