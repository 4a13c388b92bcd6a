import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import { messageOf } from '../../core/input/patch-message.ts';
import { splitPatch } from '../../core/input/patch-text.ts';
import { type EditState, formatEditState, parseEditState } from '../../core/record/edit-state.ts';
import { exists, moveFolder } from '../../world/files.ts';
import { applyPatch, applyWhatFits } from '../../world/git/apply-patch.ts';
import { EditRepository } from '../../world/git/edit-repository.ts';
import { closeConnections } from '../../world/http.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { listFiles } from '../../world/list-files.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Context } from '../context.ts';
import type { AppliedPatch } from './applied-patch.ts';
import { fetchInput } from './fetch-input.ts';
import { type FoundInput, findInput } from './find-input.ts';
import { type InputJob, layOne, patchesFor } from './lay-inputs.ts';

/** The answer of `inputs edit`. */
export type InputEdited = {
  readonly package: string;
  readonly name: string;
  readonly version: string | null;
  /** Absolute path of the folder with the patched sources. */
  readonly folder: string;
  readonly patches: readonly { readonly file: string; readonly subject: string | null }[];
  /** The patch that does not apply, and those behind it; null when all are there. */
  readonly stopped: { readonly file: string; readonly why: string; readonly left: readonly string[] } | null;
};

/**
 * Sets the sources of an input up under git: one commit as its makers gave it, then one for each patch. Where a patch does not
 * apply, what fits of it is there; run again, the rest of the series follows once that is put right.
 * @param name null for the only input. @throws INPUT_NOT_FOUND, FILE_EXISTS and what `fetchInput` does
 */
export async function editInput(context: Context, name: string | null): Promise<InputEdited> {
  const found = await findInput(context, name);
  const { repository, pkg, input, folder } = found;
  const job: InputJob = { repository, package: pkg.name, config: pkg.config, folder, time: seconds(context) };
  const patches = await patchesFor(job, input);
  const target = await editFolder(found);
  const edit = new EditRepository(target, context);
  try {
    const state = (await exists(target)) ? await resumed(edit, found) : await begun(context, { found, job, target });
    const end = await applyAll(context, { edit, state, patches, folder });
    return {
      package: pkg.name,
      name: input.name,
      version: input.version,
      folder: target,
      patches: end.state.patches.map(({ file }) => ({
        file,
        subject: patches.find((patch) => patch.file === file)?.subject ?? null,
      })),
      stopped: end.stopped,
    };
  } finally {
    await closeConnections();
  }
}

function seconds({ now }: Context): number {
  return Math.floor(now().getTime() / 1000);
}

/** Where the patched sources of an input are edited: below the output folder, which no commit has. */
export async function editFolder({ repository, workspace, pkg, input }: FoundInput): Promise<string> {
  const output = await placeInside(repository.root, workspace.config.output, '`output`');
  return path.join(output, 'edit', `${fileNameOf(pkg.name)}-${input.name}`);
}

async function begun(
  context: Context,
  {
    found: { repository, pkg, input, folder },
    job,
    target,
  }: { readonly found: FoundInput; readonly job: InputJob; readonly target: string },
): Promise<EditState> {
  const fetched = await fetchInput(context, { repository, package: pkg.name, input, folder });
  const own = await makeOwnFolder(repository.commonFolder, 'edit');
  try {
    await layOne({ ...job, folder: own.folder }, { input: { ...input, into: 'sources' }, fetched });
    const sources = path.join(own.folder, 'sources');
    const fresh = new EditRepository(sources, context);
    const version = input.version === null ? '' : ` ${input.version}`;
    await fresh.begin(`${input.name}${version}, as it was fetched\n\nSHA-256: ${fetched.sha256}\n`, repository.place);
    const state: EditState = { package: pkg.name, input: input.name, sha256: fetched.sha256, patches: [], open: null };
    await fresh.keepState(formatEditState(state));
    // It gets its place when it is one: a killed run leaves nothing that looks like an edit.
    await moveFolder(sources, target);
    return state;
  } finally {
    await own.remove();
  }
}

/** The edit that is there already; what was done by hand for a patch that did not apply becomes its commit. */
async function resumed(edit: EditRepository, found: FoundInput): Promise<EditState> {
  const state = await stateOf(edit, found);
  if (state.sha256 !== found.input.sha256)
    throw already(found, edit.folder, 'it has the input as it was before its checksum was changed');
  if (state.open === null) {
    if (await edit.isDirty()) throw already(found, edit.folder, 'there are edits in it that are not saved');
    return state;
  }
  if ((await namesBelowWith(edit.folder, '.rej')).length > 0)
    throw already(
      found,
      edit.folder,
      `parts of ${state.open} are still in .rej files; put them right and remove those`,
    );
  return state;
}

/** Reads what was written down about an edit. @throws INPUT_LAYOUT where the folder is none, or one of another input. */
export async function stateOf(edit: EditRepository, { pkg, input }: FoundInput): Promise<EditState> {
  const text = await edit.state();
  const read = text === null ? null : parseEditState(text);
  const state = read?.type === 'record' ? read.record : null;
  if (state?.package === pkg.name && state.input === input.name) return state;
  throw new BevelstoneError('INPUT_LAYOUT', {
    message: `${edit.folder} does not have the patched sources of ${input.name}`,
    why: state === null ? 'it was not made for that' : `it has ${state.input} of ${state.package}`,
    fix: `Remove it if nothing in it is yours, and set them up: bevelstone inputs edit ${input.name}`,
    where: { file: edit.folder },
  });
}

type End = { readonly state: EditState; readonly stopped: InputEdited['stopped'] };

async function applyAll(
  context: Context,
  {
    edit,
    state: first,
    patches,
    folder,
  }: {
    readonly edit: EditRepository;
    readonly state: EditState;
    readonly patches: readonly AppliedPatch[];
    readonly folder: string;
  },
): Promise<End> {
  let state = first;
  const left = patches.filter(({ file }) => !state.patches.some((known) => known.file === file));
  for (const patch of left) {
    const source = path.join(folder, patch.file);
    const isByHand = state.open === patch.file;
    const why = isByHand ? null : await applyPatch(edit.folder, source, context);
    if (why !== null) {
      await applyWhatFits(edit.folder, source, context);
      state = { ...state, open: patch.file };
      await edit.keepState(formatEditState(state));
      const after = left.slice(left.indexOf(patch) + 1).map(({ file }) => file);
      return { state, stopped: { file: patch.file, why, left: after } };
    }
    const { header } = splitPatch(Buffer.from(patch.bytes).toString('utf8'));
    const author = /^From:[ \t]*(.+ <[^<>\n]+>)\s*$/im.exec(header)?.[1] ?? null;
    const commit = await edit.commitAll(messageOf(header, path.posix.basename(patch.file)), {
      author,
      isForced: !isByHand,
    });
    state = { ...state, open: null, patches: [...state.patches, { file: patch.file, commit, applies: !isByHand }] };
    await edit.keepState(formatEditState(state));
  }
  return { state, stopped: null };
}

/** Names below a folder, not counting git's own, that end in something. */
async function namesBelowWith(folder: string, end: string): Promise<string[]> {
  return (await listFiles(folder)).map((file) => file.path).filter((file) => file.endsWith(end));
}

function already({ input }: FoundInput, folder: string, why: string): BevelstoneError {
  return new BevelstoneError('FILE_EXISTS', {
    message: `the sources of ${input.name} are in ${folder} already`,
    why,
    fix: `Go on there, and then: bevelstone inputs save ${input.name}. To begin again, remove the folder`,
    where: { file: folder },
  });
}
