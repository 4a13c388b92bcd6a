import { quoteShell } from '../../text/quote-shell.ts';
import { fetchAndCheck } from '../fetch-lines.ts';
import { type ClientLine, type Offer, tokenVariable } from '../offer.ts';
import { integrityOf } from './npm-document.ts';

/** By name from the registry, and the tarball by its address after its digest was checked. */
export function npmLines({ url, release, delivered }: Offer): ClientLine[] {
  const { name } = release.about;
  const scope = name.startsWith('@') ? `--${name.split('/')[0]}:registry` : '--registry';
  const byName = `npm install ${quoteShell(`${name}@${release.version}`)} ${scope}=${quoteShell(url)}`;
  const byAddress = delivered.map(({ address, record }) => ({
    client: 'npm, by digest',
    into: 'shell',
    text: [
      ...fetchAndCheck(address, record),
      `npm install ./${quoteShell(record.file)}   # in a lockfile: ${integrityOf(record.sha512)}`,
    ].join('\n'),
  }));
  return [{ client: 'npm', into: 'shell', text: byName }, ...byAddress];
}

/** The registry of a scope, and a token for reading. */
export function npmSetUp({ destination, url, release }: Offer): ClientLine[] {
  const scope = release.about.name.startsWith('@') ? `${release.about.name.split('/')[0]}:` : '';
  const place = url.replace(/^https?:/, '');
  return [
    { client: 'npm', into: '.npmrc', text: `${scope}registry=${url}` },
    // npm puts the variable's value in when it reads the file ("npmrc, Environment Variables").
    { client: 'npm, with a token', into: '.npmrc', text: `${place}:_authToken=\${${tokenVariable(destination)}}` },
  ];
}
