import { setTimeout as sleep } from 'node:timers/promises';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerEvent } from '../../core/record/event.ts';
import { isLedgerPath, type ParsedEvent, parseEvent } from '../../core/record/parse-event.ts';
import { addToTree } from './add-to-tree.ts';
import { eachObject, idOf } from './object-reader.ts';
import { withIndex } from './own-index.ts';
import { remoteMessage } from './remote-words.ts';
import type { Repository } from './repository.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';
import { writeBlobs } from './write-blobs.ts';

/** The ref that holds the ledger. */
export const ledgerRef = 'refs/bevelstone/ledger';

const fetchedRef = 'refs/bevelstone/ledger-fetched';
const tries = 5;
/** The largest plan that was seen has some 100 kB. */
const maxEventBytes = 8 << 20;

/** A file of the ledger: written once, under a name of its own. */
export type LedgerFile = { readonly path: string; readonly text: string };

/** The ledger as it was read: its events, and the files that are none, with the reason. */
export type ReadLedgerFiles = {
  readonly events: readonly LedgerEvent[];
  readonly damaged: readonly { readonly file: string; readonly why: string }[];
  /** Kinds of events that a newer program wrote. */
  readonly unknown: readonly string[];
};

/**
 * Reads every event, or those below some folders. Unreadable events do not hide the others.
 */
export async function readEvents(
  { place }: Repository,
  folders: readonly string[] | null = null,
): Promise<ReadLedgerFiles> {
  if ((await currentLedger(place)) === null) return { events: [], damaged: [], unknown: [] };
  const files = [...(await listTree(place, ledgerRef, folders ?? []))].filter(
    ([file]) => !/\/contents-[^/]+$/.test(file),
  );
  const events: LedgerEvent[] = [];
  const damaged: { file: string; why: string }[] = [];
  const unknown = new Set<string>();
  const ids = files.map(([, id]) => id);
  await eachObject(place, ids, (object, index) => {
    const [file = ''] = files[index] ?? [];
    const parsed = readEvent(object?.bytes ?? null, file);
    if (parsed.type === 'event') events.push(parsed.event);
    else if (parsed.type === 'damaged') damaged.push({ file, why: parsed.why });
    else unknown.add(parsed.kind);
  });
  return { events, damaged, unknown: [...unknown] };
}

function readEvent(bytes: Buffer | null, file: string): ParsedEvent {
  if (bytes === null) return { type: 'damaged', why: 'git does not have it' };
  if (bytes.length > maxEventBytes) return { type: 'damaged', why: `it has ${bytes.length} bytes` };
  return parseEvent(bytes.toString('utf8'), file);
}

/** Files of a tree by path with the ids of their blobs; links and submodules have no place in a ledger. */
async function listTree(place: GitPlace, tree: string, folders: readonly string[] = []): Promise<Map<string, string>> {
  const { text } = await git(place, [
    '--literal-pathspecs',
    'ls-tree',
    '-r',
    '-z',
    '--full-tree',
    tree,
    '--',
    ...folders,
  ]);
  return new Map(
    text.split('\0').flatMap((line): [string, string][] => {
      const [, id, file] = /^100644 blob ([0-9a-f]+)\t(.+)$/s.exec(line) ?? [];
      return id === undefined || file === undefined ? [] : [[file, id]];
    }),
  );
}

/** Those of some files that are in the local ledger, by path. */
export async function ledgerPaths({ place }: Repository, files: readonly LedgerFile[]): Promise<ReadonlySet<string>> {
  // Without a folder git would list all.
  if (files.length === 0 || (await currentLedger(place)) === null) return new Set();
  const folders = new Set(files.map(({ path: file }) => file.slice(0, file.lastIndexOf('/'))));
  return new Set((await listTree(place, ledgerRef, [...folders])).keys());
}

/** Adds files to the local ledger in one commit. Existing files are never changed. */
export async function addToLedger(
  repository: Repository,
  files: readonly LedgerFile[],
  message: string,
): Promise<void> {
  const { place } = repository;
  const before = await currentLedger(place);
  const ids = await writeBlobs(
    repository,
    files.map(({ text }) => text),
  );
  const added = new Map(files.map(({ path: file }, index) => [file, ids[index] ?? '']));
  const tree = await addToTree(place, before, added);
  if (tree === null) throw notAdded(files);
  await commitTree({ place, tree, parents: before === null ? [] : [before], message, old: before });
}

function notAdded([first]: readonly LedgerFile[]): BevelstoneError {
  return new BevelstoneError('LEDGER_DAMAGED', {
    message: `the ledger has no room for ${first?.path ?? 'a record'}`,
    why: 'a folder of it cannot be read, or a file lies where a folder should be, which Bevelstone never writes',
    fix: `Look at git log ${ledgerRef}, and go back to a commit before that was added`,
  });
}

/**
 * Fetches the remote's ledger and unites it with the local one: files are added and never changed or removed, whatever the
 * remote's own history says. Files that cannot be of a ledger are left out.
 * @returns false when the remote has none.
 */
export async function uniteWithRemote(repository: Repository, remote: string): Promise<boolean> {
  const { place } = repository;
  const fetched = await git(
    place,
    ['fetch', '--quiet', '--no-tags', '--no-write-fetch-head', remote, `+${ledgerRef}:${fetchedRef}`],
    {
      allow: [1, 128],
    },
  );
  if (fetched.exitCode !== 0) return false;
  const [mine, theirs] = [await currentLedger(place), await gitLine(place, ['rev-parse', fetchedRef])];
  if (mine === theirs) return true;
  const [own, other] = [
    mine === null ? new Map<string, string>() : await listTree(place, mine),
    await listTree(place, theirs),
  ];
  const isClean = [...other.keys()].every(isLedgerPath) && [...own].every(([file, id]) => other.get(file) === id);
  if (isClean && (mine === null || (await isAncestor(place, mine, theirs)))) {
    await git(place, ['update-ref', ledgerRef, theirs, mine ?? '0'.repeat(theirs.length)]);
    return true;
  }
  const added = [...other].filter(([file]) => !own.has(file) && isLedgerPath(file));
  if (mine !== null && added.length === 0 && (await isAncestor(place, theirs, mine))) return true;
  await withIndex(repository, async (indexed) => {
    await git(indexed, mine === null ? ['read-tree', '--empty'] : ['read-tree', mine]);
    const rows = added.map(([file, id]) => `100644 ${id}\t${file}\0`).join('');
    await git(indexed, ['update-index', '-z', '--add', '--index-info'], { input: rows });
    await commitTree({
      place,
      tree: await gitLine(indexed, ['write-tree']),
      parents: mine === null ? [theirs] : [mine, theirs],
      message: 'unite two ledgers',
      old: mine,
    });
  });
  return true;
}

/** What came of a push: who has the refs now. */
export type PushEnd = 'done' | 'tag-taken';

/**
 * Pushes the ledger, and tags with it, as one: all or nothing. When others wrote to the ledger meanwhile, unites and
 * tries again, five times.
 * @throws REMOTE_REFUSED with the remote's words, LEDGER_CONTENDED when others keep writing.
 */
export async function pushLedger(repository: Repository, remote: string, tags: readonly string[]): Promise<PushEnd> {
  const refs = [...tags.map((tag) => `refs/tags/${tag}`), ledgerRef].map((ref) => `${ref}:${ref}`);
  for (let attempt = 1; attempt <= tries; attempt++) {
    const { exitCode, text, stderr } = await git(
      repository.place,
      ['push', '--atomic', '--porcelain', '--no-verify', remote, ...refs],
      {
        allow: [1, 128],
      },
    );
    if (exitCode === 0) return 'done';
    const refused = text.split('\n').filter((line) => line.startsWith('!'));
    if (
      refused.some(
        (line) => line.includes('refs/tags/') && /already exists|\[rejected\]/.test(line) && !line.includes('atomic'),
      )
    )
      return 'tag-taken';
    const isLedgerBehind = refused.some(
      (line) =>
        line.includes(ledgerRef) &&
        /fetch first|non-fast-forward|stale|failed to update ref|lock|incorrect old value/.test(line),
    );
    if (!isLedgerBehind) throw remoteRefused(remote, refused, stderr);
    await uniteWithRemote(repository, remote);
    await sleep(50 * attempt + Math.random() * 200);
  }
  throw new BevelstoneError('LEDGER_CONTENDED', {
    message: `the ledger could not be pushed to ${remote}`,
    why: `others pushed to it during each of ${tries} attempts`,
    fix: 'Run the same command again; what is done stays done',
  });
}

/** Puts the local ledger back to where it was before a plan that was not accepted. */
export async function restoreLedger(place: GitPlace, before: string | null): Promise<void> {
  await git(place, before === null ? ['update-ref', '-d', ledgerRef] : ['update-ref', ledgerRef, before]);
}

/** The commit that the local ledger is at, null when there is none. */
export async function currentLedger(place: GitPlace): Promise<string | null> {
  return idOf(place, `${ledgerRef}^{commit}`);
}

async function isAncestor(place: GitPlace, name: string, other: string): Promise<boolean> {
  return (await git(place, ['merge-base', '--is-ancestor', name, other], { allow: [1] })).exitCode === 0;
}

async function commitTree({
  place,
  tree,
  parents,
  message,
  old,
}: {
  readonly place: GitPlace;
  readonly tree: string;
  readonly parents: readonly string[];
  readonly message: string;
  readonly old: string | null;
}): Promise<void> {
  const id = await gitLine(place, [
    'commit-tree',
    '--no-gpg-sign',
    tree,
    ...parents.flatMap((parent) => ['-p', parent]),
    '-m',
    message,
  ]);
  await git(place, ['update-ref', ledgerRef, id, old ?? '0'.repeat(id.length)]);
}

function remoteRefused(remote: string, refused: readonly string[], stderr: string): BevelstoneError {
  return new BevelstoneError('REMOTE_REFUSED', {
    message: `${remote} rejected the tags and the ledger`,
    why: remoteMessage(refused, stderr),
    fix: 'Check that you are allowed to push tags there, then run the same command again; nothing was uploaded',
  });
}
