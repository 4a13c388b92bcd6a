import type { DestinationConfig, UpstreamProtocol } from '../config/config.ts';
import type { TrialClient } from '../name/client.ts';
import type { Form } from '../name/form.ts';
import type { Spellings } from '../version/spelling.ts';
import type { ClientLine, Offer } from './offer.ts';

/** What a secret without a kind is. */
export type BareSecret = {
  /** Whether `USER:PASSWORD` is a user with a password. */
  readonly isUserWithPassword: boolean;
  /** What any other text is: a bearer token, the password of a fixed user, the value of a header. */
  readonly otherwise:
    | { readonly type: 'token' }
    | { readonly type: 'basic'; readonly user: string }
    | { readonly type: 'header'; readonly name: string };
};

/** All of a protocol that needs neither network nor disk. Its two other halves are in `destination/` and `standin/`. */
export type ProtocolDefinition = {
  /** As `docs/destinations.md` describes it. */
  readonly title: string;
  /** The forms that a destination takes when its configuration does not say; null for any. */
  readonly forms: readonly Form[] | null;
  /** Forms that can be uploaded and not downloaded, so that they cannot be compared again. */
  readonly oneWay: readonly Form[];
  readonly bareSecret: BareSecret;
  /** Whether access keys of an object store are its usual credential. */
  readonly usesAccessKeys: boolean;
  /** Whether it is a repository that git reaches by itself: no address of the web, no credential of ours. */
  readonly usesGit: boolean;
  /** The client that consumers use. */
  readonly client: TrialClient;
  /** The forms that can be compared after the client has installed a release, whole file or entry by entry. */
  readonly compared: readonly Form[] | null;
  /** The key of `upstream` that has names which are not here; null for a protocol without one. */
  readonly upstream: UpstreamProtocol | null;
  /** Where readers find what lies at a destination's `url`. */
  readonly readerUrl: (url: string) => string;
  /** Where the files of a store are for readers. */
  readonly filesUrl: (url: string, config: Pick<DestinationConfig, 'bucket' | 'path-style'>) => string;
  /** What a destination's `url` is for a stand-in that serves the protocol below an address. */
  readonly standinUrl: (served: string, config: Pick<DestinationConfig, 'snapshots'> | null) => string;
  /** Origins beside that of `url` that requests go to. */
  readonly furtherOrigins: (
    origin: string,
    config: Pick<DestinationConfig, 'bucket' | 'path-style'>,
  ) => readonly string[];
  /** Why a version is not for this destination; null when it is. */
  readonly refuses: (config: Pick<DestinationConfig, 'snapshots'>, spellings: Spellings) => string | null;
  /** A name that a package could have, for a question about no package in particular. */
  readonly sampleName: string;
  /** What a consumer types or pastes to get exactly one release, with digests where the client checks them. */
  readonly lines: (offer: Offer) => readonly ClientLine[];
  /** What a machine or project needs once, so that the client finds a destination that is not its usual one. */
  readonly setUp: (offer: Offer) => readonly ClientLine[];
};
