import path from 'node:path';
import { familyOf, interpreterOf, stepProgram } from '../../core/plan/step-programs.ts';
import { readHead, realPath } from '../../world/files.ts';
import { type FoundTool, findOnPath } from '../../world/tool.ts';

/** A step, and where it runs. */
export type StepStart = {
  readonly run: string;
  /** Absolute path. */
  readonly folder: string;
  readonly env: Readonly<Record<string, string>>;
  readonly tools: readonly FoundTool[];
};

/**
 * Why a step uses another interpreter than was declared: than `tools` found, or than the script that it starts names in its first
 * line. Only what the step's text starts first is looked at. @returns a clause; null when nothing is wrong, or nothing can be said.
 */
export async function otherInterpreter({ run, folder, env, tools }: StepStart): Promise<string | null> {
  const start = stepProgram(run);
  if (start === null) return null;
  const search = env['PATH'] ?? '';
  const isFile = start.program.includes('/');
  const named = isFile ? await interpreterIn(path.resolve(folder, start.program)) : start.program;
  if (named === null) return null;
  const used = await resolved(named, search);
  if (used === null) return null;
  const declared = tools.find(({ name }) => familyOf(name) === familyOf(named));
  if (declared !== undefined && declared.path !== used)
    return `it is run by ${used}${isFile ? ', as its first line says' : ''}; \`tools\` found ${declared.path}`;
  const script = start.script === null || isFile ? null : await interpreterIn(path.resolve(folder, start.script));
  if (script === null || familyOf(script) === familyOf(named)) return null;
  // A shell that runs scripts of a simpler one gives what is meant; the other way round it need not.
  if (familyOf(script) === 'sh' && shells.has(familyOf(named))) return null;
  return `${start.script} is run by ${named}, and its first line names ${script}`;
}

const shells: ReadonlySet<string> = new Set(['bash', 'dash', 'ksh', 'zsh']);

async function interpreterIn(file: string): Promise<string | null> {
  const head = await readHead(file, 256);
  return head === null ? null : interpreterOf(head);
}

async function resolved(program: string, search: string): Promise<string | null> {
  const found = await findOnPath(program, search);
  return found === null ? null : realPath(found);
}
