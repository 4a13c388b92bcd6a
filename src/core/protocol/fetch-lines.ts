import type { ArtifactRecord } from '../record/release-record.ts';
import { quoteShell } from '../text/quote-shell.ts';
import { type ClientLine, type Offer, offeredPackages } from './offer.ts';

/** Downloads each file and checks its digest before use. */
export function fileLines(offer: Offer): ClientLine[] {
  return offeredPackages(offer).map(({ address, record }) => ({
    client: /^https?:/.test(address) ? 'curl' : 'cp',
    into: 'shell',
    text: fetchAndCheck(address, record).join('\n'),
  }));
}

/** Downloads a file and compares its digest. */
export function fetchAndCheck(address: string, { file, sha256 }: ArtifactRecord): string[] {
  const fetch = /^https?:/.test(address)
    ? `curl -fsSL -o ${quoteShell(file)} ${quoteShell(address)}`
    : `cp ${quoteShell(address)} ${quoteShell(file)}`;
  return [fetch, `echo ${quoteShell(`${sha256}  ${file}`)} | sha256sum -c -`];
}
