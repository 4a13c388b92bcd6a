import path from 'node:path';
import { isRemote } from '../../core/name/protocol.ts';
import { type Offer, readerVariable } from '../../core/protocol/offer.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import type { Context } from '../context.ts';
import { resolveUrl } from '../workspace/resolve-url.ts';

/** An offer, and the root of the workspace that its paths begin at. */
export type OfferPlace = { readonly offer: Offer; readonly root: string };

/**
 * The address of a file as readers have it: where the folder of the machine that released lies is no matter of theirs.
 * @throws ENVIRONMENT_MISSING where a variable says where that is.
 */
export function shownAddress(
  context: Pick<Context, 'env'>,
  { offer: { destination, config }, root }: OfferPlace,
  address: string,
): string {
  if (isRemote(config)) return address.replace(/#.*$/, '');
  const folder = path.resolve(root, resolveUrl(context, destination, config.url));
  const inside = path.relative(folder, address).split(path.sep).join('/');
  const index = config['index-url'];
  return index === null ? `$${readerVariable(destination, 'FOLDER')}/${inside}` : `${withSlash(index)}${inside}`;
}
