import { protocolDefinitions } from './definitions.ts';
import type { ClientLine, ConsumerLine, Offer } from './offer.ts';

/** Lines that install exactly this release, with digests where the client checks them. */
export function consumerLines(offer: Offer): ConsumerLine[] {
  return forDestination(offer, protocolDefinitions[offer.config.speaks].lines(offer));
}

/** What a machine or project needs once, so that a client finds a destination that is not its usual one. */
export function setUpLines(offer: Offer): ConsumerLine[] {
  return forDestination(offer, protocolDefinitions[offer.config.speaks].setUp(offer));
}

function forDestination({ destination }: Offer, lines: readonly ClientLine[]): ConsumerLine[] {
  return lines.map((line) => ({ destination, ...line }));
}
