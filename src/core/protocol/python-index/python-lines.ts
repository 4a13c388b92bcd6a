import { type ClientLine, type Offer, tokenVariable } from '../offer.ts';

/** A requirement with the digests of every file; installers then take no other (pip, "Hash-checking Mode"). */
export function pythonLines({ release, delivered }: Offer): ClientLine[] {
  const version = release.about.spellings.python ?? release.version;
  const hashes = delivered.map(({ sha256 }) => `    --hash=sha256:${sha256}`);
  return [
    {
      client: 'pip',
      into: 'requirements.txt',
      text: [`${release.about.name}==${version}`, ...hashes].join(' \\\n'),
    },
  ];
}

/** The index: alone, beside the one that is configured, and with a token. */
export function pythonSetUp({ destination, url }: Offer): ClientLine[] {
  const withToken = url.replace(/^(https?:\/\/)/, `$1__token__:\${${tokenVariable(destination)}}@`);
  return [
    { client: 'pip', into: 'requirements.txt', text: `--index-url ${url}` },
    { client: 'pip, beside another index', into: 'requirements.txt', text: `--extra-index-url ${url}` },
    { client: 'pip, with a token', into: 'requirements.txt', text: `--index-url ${withToken}` },
  ];
}
