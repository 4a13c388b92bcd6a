import { fill } from '../address-template.ts';
import type { ProtocolDefinition } from '../definition.ts';
import { fileLines } from '../fetch-lines.ts';
import type { Offer } from '../offer.ts';
import { plainProtocol, tokenOnly, withSlash } from '../traits.ts';

/** Readers of a folder that is served on the web fetch from there: its path is that of the machine that released. */
function atReaders(offer: Offer): Offer {
  const { config, url, release, delivered } = offer;
  if (config['index-url'] === null) return offer;
  const subject = { packageName: release.package, name: release.about.name, version: release.version };
  const parts = [...fill(config.under, subject).split('/')].filter(Boolean);
  const below = (file: string) => [...parts, file].map(encodeURIComponent).join('/');
  return {
    ...offer,
    delivered: delivered.map((one) => ({ ...one, address: `${withSlash(url)}${below(one.record.file)}` })),
  };
}

/** A plain folder or static site. */
export const folder: ProtocolDefinition = {
  ...plainProtocol,
  title: 'plain folder or static site',
  forms: null,
  bareSecret: tokenOnly,
  client: 'fetch',
  compared: null,
  lines: (offer) => fileLines(atReaders(offer)),
  setUp: () => [],
};
