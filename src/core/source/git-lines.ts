import type { FromSource } from '../form/source-archive/from-source.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { gitUrl } from '../text/git-url.ts';
import { quoteShell } from '../text/quote-shell.ts';

/** A release in a repository. */
export type GitPlace = {
  /** The address that people clone. */
  readonly repository: string;
  readonly commit: string;
  readonly tag: string;
};

/** What a client gets typed or pasted to take a release from git; or why it cannot. */
export type GitLine =
  | { readonly client: string; readonly into: string; readonly text: string }
  | { readonly client: string; readonly why: string };

type LineOf = (source: FromSource, place: GitPlace) => GitLine;

/** Clients that install from git by themselves, by the ecosystem whose packages they take. */
const clients: Readonly<Partial<Record<Ecosystem, LineOf>>> = {
  // npm-install(1), `<git remote url>`; a folder by `::path:` (npm-package-arg).
  node: (source, { repository, commit }) => {
    if (source.steps.length > 0)
      return { client: 'npm', why: 'npm takes the files as they are in git, and build steps make some of them' };
    const folder = source.folder === '' ? '' : `::path:${source.folder}`;
    return shellLine('npm', `npm install ${quoteShell(`git+${gitUrl(repository)}#${commit}${folder}`)}`);
  },
  // pip, "VCS Support"; without `NAME @`, which older versions do not read in front of a path.
  python: (source, { repository, commit }) => {
    const folder = source.folder === '' ? '' : `#subdirectory=${source.folder}`;
    return shellLine('pip', `pip install ${quoteShell(`git+${gitUrl(repository)}@${commit}${folder}`)}`);
  },
  // The Cargo Book, "Specifying dependencies from git repositories": the crate is looked for in the whole repository.
  rust: (source, { repository, commit }) => ({
    client: 'cargo',
    into: 'Cargo.toml, dependencies',
    text: `${source.name} = { git = ${JSON.stringify(gitUrl(repository))}, rev = "${commit}" }`,
  }),
  // Go Modules Reference, "Communicating with version control systems".
  go: (source) =>
    shellLine(
      'go',
      `GOPROXY=direct GONOSUMDB=${quoteShell(source.name)} go get ${quoteShell(`${source.name}@v${source.version}`)}`,
    ),
};

function shellLine(client: string, text: string): GitLine {
  return { client, into: 'shell', text };
}

/** What each client that can take packages of this kind from git is given. */
export function gitLines(source: FromSource, place: GitPlace): GitLine[] {
  const line = clients[source.ecosystem]?.(source, place);
  if (line === undefined) return [];
  if (source.inputs.length === 0) return [line];
  const names = source.inputs.map(({ name }) => name).join(', ');
  return [{ client: line.client, why: `${line.client} takes the files as they are in git, and ${names} is not in it` }];
}
