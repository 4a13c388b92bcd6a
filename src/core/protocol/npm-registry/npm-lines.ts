import { quoteShell } from '../../text/quote-shell.ts';
import { checkLine } from '../fetch-lines.ts';
import { type ClientLine, type Offer, tokenVariable } from '../offer.ts';
import { integrityOf } from './npm-document.ts';

/** By name from the registry, and the tarball after its digest was checked. */
export function npmLines({ url, release, delivered }: Offer): ClientLine[] {
  const { name } = release.about;
  const scope = name.startsWith('@') ? `--${name.split('/')[0]}:registry` : '--registry';
  const wanted = quoteShell(`${name}@${release.version}`);
  const from = `${scope}=${quoteShell(url)}`;
  const byDigest = delivered.map(({ record }) => ({
    client: 'npm, by digest',
    into: 'shell',
    text: [
      // npm fetches it itself: it has the credential.
      `npm pack --silent ${wanted} ${from}`,
      checkLine(record),
      `npm install ./${quoteShell(record.file)} ${from}`,
      `# in a lockfile: ${integrityOf(record.sha512)}`,
    ].join('\n'),
  }));
  return [{ client: 'npm', into: 'shell', text: `npm install ${wanted} ${from}` }, ...byDigest];
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
