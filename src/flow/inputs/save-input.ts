import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { patchFiles } from '../../core/input/patch-files.ts';
import { headerOf, messageOf, newPatchName, readMessage, saysTheSame } from '../../core/input/patch-message.ts';
import { splitPatch } from '../../core/input/patch-text.ts';
import { type EditedPatch, formatEditState } from '../../core/record/edit-state.ts';
import { readBytesIfThere, removeFile, writeWhole } from '../../world/files.ts';
import { type EditCommit, EditRepository } from '../../world/git/edit-repository.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { listFiles } from '../../world/list-files.ts';
import type { Context } from '../context.ts';
import { editFolder, stateOf } from './edit-input.ts';
import { type FoundInput, findInput } from './find-input.ts';

/** Which input, and where edits go that are not committed: into a patch, or a new one. */
export type SaveOptions = {
  readonly name: string | null;
  /** File name of a patch. */
  readonly patch: string | null;
  /** Subject of a new patch. */
  readonly subject: string | null;
};

/** The answer of `inputs save`. */
export type InputSaved = {
  readonly package: string;
  readonly name: string;
  /** Absolute path of the package's folder, which the paths below are in. */
  readonly folder: string;
  readonly written: readonly string[];
  readonly same: readonly string[];
  readonly removed: readonly string[];
  /** The patch that got edits which were not committed; null for none. */
  readonly edited: string | null;
};

/**
 * Makes the series of an input anew from the commits of its edit. Patches keep their names and their headers, and one that says the
 * same keeps its bytes. Nothing is written unless the series gives exactly what was edited.
 * @throws INPUT_NOT_FOUND, INPUT_LAYOUT without an edit, PATCHES_UNDECIDED
 */
export async function saveInput(context: Context, options: SaveOptions): Promise<InputSaved> {
  const found = await findInput(context, options.name);
  const edit = new EditRepository(await editFolder(found), context);
  const state = await stateOf(edit, found);
  if (state.open !== null) throw stillOpen(found, state.open);
  const isDirty = await edit.isDirty();
  if (!isDirty && (options.patch !== null || options.subject !== null)) throw nothingToTake(found, edit.folder);
  const edited = isDirty ? await takeEdits(edit, options, found) : null;
  const series = await seriesOf(edit, { found, before: state.patches });
  await refuseOther(context, { edit, series, found });
  const files = series.map(({ file }) => file);
  const removed = state.patches.map(({ file }) => file).filter((file) => !files.includes(file));
  const written = series.filter(({ isSame }) => !isSame);
  for (const { file, bytes } of written) await writeWhole(path.join(found.folder, file), bytes);
  for (const file of removed) await removeFile(path.join(found.folder, file));
  const patches = series.map(({ file, commit }) => ({ file, commit, applies: true }));
  await edit.keepState(formatEditState({ ...state, patches }));
  return {
    package: found.pkg.name,
    name: found.input.name,
    folder: found.folder,
    written: written.map(({ file }) => file),
    same: series.filter(({ isSame }) => isSame).map(({ file }) => file),
    removed,
    edited: edited === null ? null : (series.find(({ name }) => name === edited)?.file ?? edited),
  };
}

/** Puts what is not committed where it belongs. @returns the patch's file name. */
async function takeEdits(edit: EditRepository, { patch, subject }: SaveOptions, found: FoundInput): Promise<string> {
  const commits = await edit.commits();
  const named = commits.map((commit) => ({ commit, file: readMessage(commit.message).file ?? '' }));
  if (subject !== null) {
    const name = newPatchName(subject, named.at(-1)?.file || null, named.map(({ file }) => file).filter(Boolean));
    await edit.commitAll(messageOf(`${subject}\n`, name), { author: null, isForced: false });
    return name;
  }
  const wanted = patch === null ? null : path.posix.basename(patch);
  const target =
    wanted === null ? (named.length === 1 ? named[0] : undefined) : named.find(({ file }) => file === wanted);
  if (target === undefined)
    throw undecided(
      found,
      wanted,
      named.map(({ file }) => file),
    );
  if (target === named.at(-1)) await edit.amendLast();
  else if (!(await edit.amendEarlier(target.commit.id))) throw inTheWay(found, target.file);
  return target.file;
}

type SavedPatch = {
  readonly name: string;
  /** Path inside the package's folder. */
  readonly file: string;
  readonly commit: string;
  readonly bytes: Uint8Array;
  readonly isSame: boolean;
};

async function seriesOf(
  edit: EditRepository,
  { found, before }: { readonly found: FoundInput; readonly before: readonly EditedPatch[] },
): Promise<SavedPatch[]> {
  const commits = await edit.commits();
  const names: string[] = [];
  const series: SavedPatch[] = [];
  const known = before.map(({ file }) => path.posix.basename(file));
  for (const commit of commits) {
    if (commit.parents.length !== 1) throw merged(found);
    const { file: named, text } = readMessage(commit.message);
    const taken = [...new Set([...known, ...names])];
    const name = isFileName(named) ? named : newPatchName(text.split('\n')[0] ?? '', names.at(-1) ?? null, taken);
    if (names.includes(name)) throw twice(found, name);
    names.push(name);
    const old = before.find(({ file }) => path.posix.basename(file) === name) ?? null;
    const file = old?.file ?? path.posix.join(folderForNew(found, before), name);
    series.push({ name, file, commit: commit.id, ...(await patchOf(edit, { found, commit, text, file, old })) });
  }
  return series;
}

/** A name from a commit message stays inside the folder of the patches. */
function isFileName(name: string | null): name is string {
  return name !== null && /^[A-Za-z0-9][\w.+-]*$/.test(name);
}

async function patchOf(
  edit: EditRepository,
  {
    found,
    commit,
    text,
    file,
    old,
  }: {
    readonly found: FoundInput;
    readonly commit: EditCommit;
    readonly text: string;
    readonly file: string;
    readonly old: EditedPatch | null;
  },
): Promise<Pick<SavedPatch, 'bytes' | 'isSame'>> {
  const changes = await edit.changesOf(commit.id);
  if (changes.length === 0) throw empty(found, file);
  const there = old === null ? null : await readBytesIfThere(path.join(found.folder, file));
  const { header } = splitPatch(there === null ? '' : Buffer.from(there).toString('utf8'));
  const isSaid = there !== null && saysTheSame(commit.message, header, path.posix.basename(file));
  if (there !== null && old?.applies === true && isSaid) {
    const before = await edit.changesOf(old.commit);
    if (withoutIds(before) === withoutIds(changes)) return { bytes: there, isSame: true };
  }
  const head = isSaid ? header : headerOf({ text, author: commit.author, before: there === null ? null : header });
  return { bytes: Buffer.concat([Buffer.from(head), changes]), isSame: false };
}

/** Ids of blobs change with every patch before; in binary patches they count. */
function withoutIds(changes: Buffer): string {
  const text = changes.toString('latin1');
  return /^GIT binary patch$/m.test(text) ? text : text.replace(/^index [0-9a-f.]+(?: \d+)?\n/gm, '');
}

/** Where new patches go: beside the others, or where `patches` looks for them. */
function folderForNew({ pkg, input }: FoundInput, before: readonly { readonly file: string }[]): string {
  const last = before.at(-1);
  if (last !== undefined) return path.posix.dirname(last.file);
  const { inputs, patches } = pkg.config;
  const rule = patches.find((one) => one.input === input.name || (one.input === null && inputs.length === 1));
  return rule === undefined ? 'patches' : path.posix.dirname(rule.files);
}

/** Makes sure of two things before anything is written: `patches` finds the series in this order, and it gives what was edited. */
async function refuseOther(
  context: Context,
  {
    edit,
    series,
    found,
  }: { readonly edit: EditRepository; readonly series: readonly SavedPatch[]; readonly found: FoundInput },
): Promise<void> {
  const wanted = series.map(({ file }) => file);
  const others = (await listFiles(found.folder)).map((file) => file.path);
  const before = patchFiles(found.pkg.config, found.input, others).found;
  const after = patchFiles(found.pkg.config, found.input, [...new Set([...others, ...wanted])]).found;
  const kept = after.filter((file) => wanted.includes(file) || !before.includes(file));
  if (kept.join('\n') !== wanted.join('\n')) throw otherOrder(found, wanted, kept);
  context.signal.throwIfAborted();
  const own = await makeOwnFolder(found.repository.commonFolder, 'series');
  try {
    const files: string[] = [];
    for (const [index, { bytes }] of series.entries()) {
      const file = path.join(own.folder, `${index}.patch`);
      await writeWhole(file, bytes);
      files.push(file);
    }
    if (!(await edit.gives(files))) throw new Error('the regenerated series does not give what was edited');
  } finally {
    await own.remove();
  }
}

function undecided({ input }: FoundInput, wanted: string | null, names: readonly string[]): BevelstoneError {
  const list = names.length === 0 ? 'there is no patch yet' : `patches: ${names.join(', ')}`;
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: wanted === null ? `which patch of ${input.name} gets the edits?` : `${input.name} has no patch ${wanted}`,
    why: list,
    fix: `Name one with --patch, or begin a new one with --subject "What it does". Or commit the edits yourself`,
  });
}

function nothingToTake({ input }: FoundInput, folder: string): BevelstoneError {
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `there are no edits of ${input.name} that are not committed`,
    why: '--patch and --subject are about these alone; files that a .gitignore names do not count',
    fix: `Leave the option out, or edit in ${folder} first. A file that is ignored there: git add --force FILE`,
  });
}

function inTheWay({ input }: FoundInput, file: string): BevelstoneError {
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `the edits do not fit into ${file}`,
    why: 'a later patch changes the same lines; the edits are as they were',
    fix: `Put them into a later patch of ${input.name} with --patch, or into a new one with --subject`,
  });
}

function stillOpen({ input }: FoundInput, file: string): BevelstoneError {
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `the series of ${input.name} is not complete`,
    why: `${file} did not apply, and those behind it are not there yet`,
    fix: `Put its changes right, and go on: bevelstone inputs edit ${input.name}`,
  });
}

function merged({ input }: FoundInput): BevelstoneError {
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `the edits of ${input.name} are not a series`,
    why: 'there is a merge among the commits',
    fix: 'Make one line of commits of them with git rebase',
  });
}

function empty({ input }: FoundInput, file: string): BevelstoneError {
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `a commit of ${input.name} changes nothing`,
    why: `${path.posix.basename(file)} would be a patch without a change`,
    fix: 'Drop the commit with git rebase; the patch is removed then',
  });
}

function twice({ input }: FoundInput, name: string): BevelstoneError {
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `two commits of ${input.name} name the same patch ${name}`,
    why: 'each commit becomes one patch, and the line `Patch:` of its message names it',
    fix: 'Remove that line from one of the messages, or make one commit of the two',
  });
}

function otherOrder({ input }: FoundInput, wanted: readonly string[], kept: readonly string[]): BevelstoneError {
  const lost = wanted.filter((file) => !kept.includes(file));
  return new BevelstoneError('PATCHES_UNDECIDED', {
    message: `the series of ${input.name} would be applied otherwise than it was edited`,
    why:
      lost.length > 0
        ? `\`patches\` does not find ${lost.join(', ')}`
        : `edited as ${wanted.join(', ')}; \`patches\` gives ${kept.join(', ')}`,
    fix:
      lost.length > 0
        ? 'Add them to `patches` of the package'
        : 'Bring the commits into the order of the names, or change the line `Patch:` of their messages',
    where: { file: 'bevelstone.yaml' },
  });
}
