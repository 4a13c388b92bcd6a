import { editPackageJson } from '../../core/manifest/package-json.ts';

/** `demo/history.yaml`, as its comment explains it. */
export type DemoHistory = {
  readonly people: Readonly<Record<string, string>>;
  readonly commits: readonly DemoCommit[];
};

type DemoCommit = {
  readonly by: string;
  readonly on?: string;
  readonly message?: string;
  /** Files that appear with this commit: those at or below these paths, or all that no commit names. */
  readonly put?: 'all' | readonly string[];
  readonly edit?: readonly { readonly file: string; readonly find: string; readonly write: string }[];
  /** A release's own commit: versions and changelogs, then the tags. */
  readonly record?: Readonly<Record<string, string>>;
  readonly tag?: readonly string[];
  readonly 'branch-after'?: string;
};

type Branch = { readonly mark: number; readonly files: ReadonlyMap<string, string> };

const start = Date.UTC(2026, 2, 2, 8, 30) / 1000;
const hoursBetween = 19.6;

/**
 * The demo's history as the input of `git fast-import` (its manual, "Input format"): the same text, and so the same
 * commit ids, on every machine.
 * @param files the first version of every file of the workspace, by path.
 */
export function writeFastImport({ people, commits }: DemoHistory, files: ReadonlyMap<string, string>): string {
  const branches = new Map<string, Branch>();
  const out: string[] = [];
  for (const [index, commit] of commits.entries()) {
    const mark = index + 1;
    const name = commit.on ?? 'main';
    const branch = branches.get(name) ?? { mark: 0, files: new Map<string, string>() };
    const changed = changesOf(commit, branch.files, putBy(commit, commits, files));
    const who = `${people[commit.by]} ${start + Math.round(index * hoursBetween * 3600)} +0000`;
    const message = messageOf(commit);
    out.push(`commit refs/heads/${name}\nmark :${mark}\nauthor ${who}\ncommitter ${who}\n${data(message)}`);
    if (branch.mark > 0) out.push(`from :${branch.mark}\n`);
    for (const [file, text] of changed)
      out.push(`M ${file.endsWith('cli.js') ? '100755' : '100644'} inline ${file}\n${data(text)}`);
    for (const tag of tagsOf(commit))
      out.push(`tag ${tag}\nfrom :${mark}\ntagger ${who}\n${data(`${tag.replace('/', ' ')}\n`)}`);
    const next = { mark, files: new Map([...branch.files, ...changed]) };
    branches.set(name, next);
    if (commit['branch-after'] !== undefined) branches.set(commit['branch-after'], next);
  }
  // A branch that was only begun has no commit of its own yet.
  for (const [name, { mark }] of branches) out.push(`reset refs/heads/${name}\nfrom :${mark}\n\n`);
  return out.join('');
}

/** Each file comes with the commit that names it most exactly. */
function putBy(
  { put }: DemoCommit,
  commits: readonly DemoCommit[],
  files: ReadonlyMap<string, string>,
): Map<string, string> {
  const named = commits.flatMap((commit) => (Array.isArray(commit.put) ? commit.put : []));
  const closest = (file: string, folders: readonly string[]) =>
    Math.max(0, ...folders.filter((folder) => file.startsWith(folder)).map(({ length }) => length));
  const isPut = (file: string) => {
    const best = closest(file, named);
    return put === 'all' ? best === 0 : put !== undefined && best > 0 && closest(file, put) === best;
  };
  return new Map([...files].filter(([file]) => isPut(file)));
}

function changesOf(
  commit: DemoCommit,
  before: ReadonlyMap<string, string>,
  put: ReadonlyMap<string, string>,
): Map<string, string> {
  const changed = new Map(put);
  for (const { file, find, write } of commit.edit ?? []) {
    const text = changed.get(file) ?? before.get(file);
    if (text === undefined || !text.includes(find)) throw new Error(`the demo's history finds no "${find}" in ${file}`);
    changed.set(
      file,
      text.replace(find, () => write),
    );
  }
  for (const [name, version] of Object.entries(commit.record ?? {})) {
    const [manifest, changelog] = [`packages/${name}/package.json`, `packages/${name}/CHANGELOG.md`];
    changed.set(
      manifest,
      editPackageJson(before.get(manifest) ?? '{}', [{ path: ['version'], value: version }], manifest),
    );
    const log = before.get(changelog) ?? `# Changes of ${name}\n`;
    const end = log.indexOf('\n') + 1;
    changed.set(
      changelog,
      `${log.slice(0, end)}\n## ${version}\n\n- See the tag ${name}/${version}\n${log.slice(end)}`,
    );
  }
  return changed;
}

function messageOf({ message, record }: DemoCommit): string {
  if (message !== undefined) return `${message.trimEnd()}\n`;
  const releases = Object.entries(record ?? {}).map(([name, version]) => `${name}@${version}`);
  return `Record ${releases.join(', ')}\n\n${releases.map((release) => `Bevelstone-Release: ${release}\n`).join('')}`;
}

function tagsOf({ tag, record }: DemoCommit): string[] {
  return [...(tag ?? []), ...Object.entries(record ?? {}).map(([name, version]) => `${name}/${version}`)];
}

function data(text: string): string {
  return `data ${Buffer.byteLength(text)}\n${text}\n`;
}
