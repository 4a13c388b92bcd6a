import { quoteShell } from '../../text/quote-shell.ts';
import { fill } from '../address-template.ts';
import type { ProtocolDefinition } from '../definition.ts';
import { checkLine, fileLines, installLines } from '../fetch-lines.ts';
import { type ClientLine, type Offer, offeredPackages, readerVariable } from '../offer.ts';
import { plainProtocol, tokenOnly, withSlash } from '../traits.ts';

/** The path of a file below the folder: the path of the folder itself is that of the machine that released. */
export function belowFolder({ config, release }: Offer, file: string): string[] {
  const subject = { packageName: release.package, name: release.about.name, version: release.version };
  return [...fill(config.under, subject).split('/'), file].filter(Boolean);
}

/** Readers of a folder that is served on the web fetch from there, others from where they see it. */
function lines(offer: Offer): ClientLine[] {
  const { config, url, delivered } = offer;
  if (config['index-url'] === null) return copyLines(offer);
  const addressOf = (file: string) => `${withSlash(url)}${belowFolder(offer, file).map(encodeURIComponent).join('/')}`;
  return fileLines({
    ...offer,
    delivered: delivered.map((delivery) => ({ ...delivery, address: addressOf(delivery.record.file) })),
  });
}

function copyLines(offer: Offer): ClientLine[] {
  const place = readerVariable(offer.destination, 'FOLDER');
  return offeredPackages(offer).flatMap(({ record }) => {
    const folder = record.file.split('/').slice(0, -1).join('/');
    const make = folder === '' ? '' : `mkdir -p ${quoteShell(folder)} && `;
    const copy = `${make}cp "$${place}"/${quoteShell(belowFolder(offer, record.file).join('/'))} ${quoteShell(record.file)}`;
    return [{ client: 'cp', into: 'shell', text: [copy, checkLine(record)].join('\n') }, ...installLines(record)];
  });
}

function setUp({ config, destination }: Offer): ClientLine[] {
  if (config['index-url'] !== null) return [];
  const place = readerVariable(destination, 'FOLDER');
  // A shell expands what stands there, so a name from a configuration shows its plain characters only.
  const shown = destination.replace(/[^\w .-]/g, '?');
  const text = `: "\${${place}:?set it to the folder ${shown} as this machine sees it}"`;
  return [{ client: 'cp', into: 'shell', text }];
}

/** A plain folder or static site. */
export const folder: ProtocolDefinition = {
  ...plainProtocol,
  title: 'plain folder or static site',
  forms: null,
  bareSecret: tokenOnly,
  client: 'fetch',
  compared: null,
  lines,
  setUp,
};
