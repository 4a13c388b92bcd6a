import type { DestinationConfig } from '../config/config.ts';
import { isSbom } from '../form/definitions.ts';
import type { LedgerDelivery, LedgerRelease } from '../ledger/fold.ts';
import type { ArtifactRecord } from '../record/release-record.ts';

/** What a consumer types or pastes, and where. */
export type ConsumerLine = {
  readonly destination: string;
  readonly client: string;
  /** Where it is pasted: a shell, or a file of the project. */
  readonly into: string;
  readonly text: string;
};

/** A release at a destination, for anyone who wants to install it. */
export type Offer = {
  readonly destination: string;
  readonly config: DestinationConfig;
  /** The address of the index or registry that readers use. */
  readonly url: string;
  readonly release: LedgerRelease;
  readonly delivered: readonly (LedgerDelivery & { readonly record: ArtifactRecord })[];
};

/** A line of a client, before it is known which destination it is for. */
export type ClientLine = Omit<ConsumerLine, 'destination'>;

/** The artifacts of an offer that are installed; SBOMs go along with what they describe. */
export function offeredPackages({ delivered }: Offer): Offer['delivered'] {
  return delivered.filter(({ record }) => !isSbom(record));
}

/** Credentials are named by a variable of the consumer's own environment, never by value. */
export const tokenVariable = (destination: string) => readerVariable(destination, 'READ_TOKEN');

/** A variable that a consumer sets for a destination; a name cannot begin with a digit. */
export function readerVariable(destination: string, what: string): string {
  return `${destination
    .toUpperCase()
    .replace(/[^A-Z0-9]+/g, '_')
    .replace(/^(?=\d)/, '_')}_${what}`;
}
