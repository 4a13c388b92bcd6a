import path from 'node:path';
import type { InputConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { nearest } from '../../core/text/nearest.ts';
import type { Repository } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { openContext, type Package, readWorkspace, selectPackages, type Workspace } from '../workspace/workspace.ts';

/** An input of the working folder's configuration. */
export type FoundInput = {
  readonly repository: Repository;
  readonly workspace: Workspace;
  readonly pkg: Package;
  readonly input: InputConfig;
  /** Which of the package's inputs, counted from 0. */
  readonly index: number;
  /** Absolute path of the package's folder in the working folder. */
  readonly folder: string;
};

/**
 * Inputs by name, in the working folder: who changes them has not committed yet. @param name null for all.
 * @throws INPUT_NOT_FOUND
 */
export async function findInputs(context: Context, name: string | null): Promise<FoundInput[]> {
  const repository = await openContext(context);
  const workspace = await readWorkspace(context, { repository, commit: 'HEAD', source: 'working-folder' });
  const chosen = selectPackages(workspace.packages, context.packages);
  const packages = workspace.packages.filter((_, index) => chosen?.has(index) ?? true);
  const all = packages.flatMap((pkg) =>
    pkg.config.inputs.map((input, index) => ({
      repository,
      workspace,
      pkg,
      input,
      index,
      folder: path.join(repository.root, pkg.folder),
    })),
  );
  const found = name === null ? all : all.filter(({ input }) => input.name === name);
  if (found.length === 0)
    throw noInput(
      name,
      all.map(({ input }) => input.name),
    );
  return found;
}

/** The one input of a name. @throws INPUT_NOT_FOUND when there is none, or when several packages have one of that name. */
export async function findInput(context: Context, name: string | null): Promise<FoundInput> {
  const [first, second] = await findInputs(context, name);
  if (first === undefined) throw new Error('an input was found');
  if (second === undefined) return first;
  throw new BevelstoneError('INPUT_NOT_FOUND', {
    message: name === null ? 'there are several inputs' : `several packages have an input ${name}`,
    why: `${first.input.name} of ${first.pkg.name}, ${second.input.name} of ${second.pkg.name}`,
    fix: name === null ? 'Name one of them' : `Say which package with -p, for example: -p ${first.pkg.name}`,
  });
}

function noInput(name: string | null, known: readonly string[]): BevelstoneError {
  const near = name === null ? null : nearest(name, known);
  const list =
    known.length === 0 ? 'add `inputs` to the package in bevelstone.yaml' : `use one of: ${known.join(', ')}`;
  return new BevelstoneError('INPUT_NOT_FOUND', {
    message: name === null ? 'no package here has inputs' : `no package here has an input ${name}`,
    why: known.length === 0 ? 'nothing is listed under `inputs`' : `inputs here: ${known.join(', ')}`,
    fix: near === null ? `Check the name; ${list}` : `Did you mean "${near}"?`,
  });
}
