import { protocolDefinitions } from './definitions.ts';
import { type ClientLine, type ConsumerLine, type Offer, readerVariable } from './offer.ts';

/** Lines that install exactly this release, with digests where the client checks them. */
export function consumerLines(offer: Offer): ConsumerLine[] {
  return forDestination(offer, protocolDefinitions[offer.config.speaks].lines(forReaders(offer)));
}

/** What a machine or project needs once, so that a client finds a destination that is not its usual one. */
export function setUpLines(offer: Offer): ConsumerLine[] {
  return forDestination(offer, protocolDefinitions[offer.config.speaks].setUp(forReaders(offer)));
}

/** A layout in a folder that is not served lies elsewhere for its readers: they say where. */
function forReaders(offer: Offer): Offer {
  if (!offer.url.startsWith('file:')) return offer;
  const { readerUrl } = protocolDefinitions[offer.config.speaks];
  return { ...offer, url: readerUrl(`file://\${${readerVariable(offer.destination, 'FOLDER')}}/`) };
}

function forDestination({ destination }: Offer, lines: readonly ClientLine[]): ConsumerLine[] {
  return lines.map((line) => ({ destination, ...line }));
}
