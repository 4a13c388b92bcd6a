import path from 'node:path';
import { isRemote } from '../../core/name/protocol.ts';
import { type Offer, readerVariable } from '../../core/protocol/offer.ts';
import { withSlash } from '../../core/protocol/traits.ts';

/** The address of a file as readers have it: where the folder of the machine that released lies is no matter of theirs. */
export function shownAddress({ destination, config }: Offer, address: string, root: string): string {
  if (isRemote(config)) return address.replace(/#.*$/, '');
  const inside = path.relative(path.resolve(root, config.url), address).split(path.sep).join('/');
  const index = config['index-url'];
  return index === null ? `$${readerVariable(destination, 'FOLDER')}/${inside}` : `${withSlash(index)}${inside}`;
}
