import { formDefinitions } from '../form/definitions.ts';
import type { ArtifactRecord } from '../record/release-record.ts';
import { quoteShell } from '../text/quote-shell.ts';
import { type ClientLine, type Offer, offeredPackages, tokenVariable } from './offer.ts';

/** How a file is fetched: the command, up to the address, and what it is called. */
type Fetch = { readonly client: string; readonly words: string };

const withCurl: Fetch = { client: 'curl', words: 'curl -fsSL' };

/** Downloads each file and checks its digest before use; and how a file that the system installs is installed. */
export function fileLines(offer: Offer, fetch: Fetch = withCurl): ClientLine[] {
  return offeredPackages(offer).flatMap(({ address, record }) => [
    { client: fetch.client, into: 'shell', text: fetchAndCheck(address, record, fetch.words).join('\n') },
    ...installLines(record),
  ]);
}

/** Downloads a file and compares its digest. */
export function fetchAndCheck(address: string, record: ArtifactRecord, words = withCurl.words): string[] {
  const options = record.file.includes('/') ? `${words} --create-dirs` : words;
  return [`${options} -o ${quoteShell(record.file)} ${quoteShell(address)}`, checkLine(record)];
}

/** Compares the digest of a file in the current folder. */
export function checkLine({ file, sha256 }: ArtifactRecord): string {
  return `echo ${quoteShell(`${sha256}  ${file}`)} | sha256sum -c -`;
}

/** The command of the system's own installer, for a form that has one. */
export function installLines({ form, file }: ArtifactRecord): ClientLine[] {
  if (formDefinitions[form].installer === null) return [];
  return [{ client: 'apt', into: 'root shell', text: `apt-get install ${quoteShell(`./${file}`)}` }];
}

/** Gives curl a token for one host, and for no other (curl(1), --netrc-optional). */
export function curlSetUp({ destination, url }: Offer): ClientLine[] {
  const { hostname } = new URL(url);
  const login = `printf 'machine %s login token password %s\\n' ${quoteShell(hostname)} "$${tokenVariable(destination)}"`;
  const text = [`(umask 077; ${login} >> ~/.netrc)`, 'echo netrc-optional >> ~/.curlrc'].join('\n');
  return [{ client: 'curl, with a token', into: 'shell', text }];
}
