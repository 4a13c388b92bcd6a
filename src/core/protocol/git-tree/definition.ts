import { fileNameOf } from '../../form/placeholder.ts';
import type { Ecosystem } from '../../name/ecosystem.ts';
import { gitUrl } from '../../text/git-url.ts';
import { quoteShell } from '../../text/quote-shell.ts';
import type { ProtocolDefinition } from '../definition.ts';
import { type ClientLine, type Offer, offeredPackages } from '../offer.ts';
import { plainProtocol, tokenOnly } from '../traits.ts';
import { distTag } from './git-refs.ts';

/** What a client of an ecosystem is given for a tag of a repository. */
const clients: Readonly<Partial<Record<Ecosystem, (url: string, tag: string) => ClientLine>>> = {
  // npm-install(1), `<git remote url>`.
  node: (url, tag) => ({
    client: 'npm',
    into: 'shell',
    text: `npm install ${quoteShell(`git+${gitUrl(url)}#${tag}`)}`,
  }),
  // pip, "VCS Support".
  python: (url, tag) => ({
    client: 'pip',
    into: 'shell',
    text: `pip install ${quoteShell(`git+${gitUrl(url)}@${tag}`)}`,
  }),
};

function lines(offer: Offer): ClientLine[] {
  const { release, url, config } = offer;
  const named = { packageName: release.package, name: release.about.name, version: release.version };
  const tag = distTag(config.under, named).slice('refs/tags/'.length);
  return offeredPackages(offer).flatMap(() => {
    const folder = fileNameOf(`${release.package}-${release.version}`);
    const clone = `git clone --quiet --depth 1 --branch ${quoteShell(tag)} ${quoteShell(url)} ${quoteShell(folder)}`;
    const own = clients[release.about.ecosystem];
    return [{ client: 'git', into: 'shell', text: clone }, ...(own === undefined ? [] : [own(url, tag)])];
  });
}

/** What is in an artifact, as a commit of any git repository. */
export const gitTree: ProtocolDefinition = {
  ...plainProtocol,
  title: 'branch and tag of a git repository with what is in an artifact, for installs from git',
  forms: ['npm-tarball', 'sdist', 'crate', 'go-module', 'source-archive'],
  bareSecret: tokenOnly,
  client: 'git',
  compared: null,
  usesGit: true,
  lines,
  setUp: () => [],
};
