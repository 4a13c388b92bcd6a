import type { DestinationConfig } from '../config/config.ts';
import { originOf } from '../config/origin.ts';
import { carrierOf } from '../name/protocol.ts';
import { protocolDefinitions } from './definitions.ts';

/** The origins that a destination is made of: those that its configuration names, and none that a server refers to. */
export function configuredOrigins(
  config: Pick<DestinationConfig, 'speaks' | 'over' | 'bucket' | 'path-style' | 'also-trusts'>,
  addresses: readonly (string | null)[],
): ReadonlySet<string> {
  const { furtherOrigins } = protocolDefinitions[carrierOf(config)];
  const own = addresses.flatMap((address) => (address === null ? [] : (originOf(address) ?? [])));
  const further = own.flatMap((origin) => furtherOrigins(origin, config));
  return new Set([...own, ...further, ...config['also-trusts'].flatMap((origin) => originOf(origin) ?? [])]);
}
