import type { Protocol, StoreName } from '../core/name/protocol.ts';
import type { Connection } from '../store/connection.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../store/parcel.ts';

/** A pointer after it was seen to: its name, and where it pointed before. */
export type Pointed = { readonly pointer: string; readonly from: string | null; readonly moved: boolean };

/** Why a release is taken back, whether it should be erased where a milder way exists too, and what was delivered of it. */
export type WithdrawOrder = {
  readonly reason: string;
  readonly erase: boolean;
  readonly delivered: readonly Delivered[];
};

/** What came of taking a release back: how, and what the protocol cannot do. */
export type Withdrawal = { readonly how: string; readonly limits: string | null };

/** What goes along while a parcel is sent. */
export type Sending = {
  /** Every parcel of the same release that goes to this destination. */
  readonly all: readonly Parcel[];
  /** Gets the number of bytes sent since the last call. */
  readonly moved: (bytes: number) => void;
};

/** A place that takes artifacts, through one protocol. All methods throw BevelstoneErrors with exit code 5. */
export type Destination = {
  readonly name: string;
  readonly speaks: Protocol;
  /** The store of a layout's files; null for a server of its own. */
  readonly over: StoreName | null;
  /** Where it is, for people. */
  readonly url: string;
  /**
   * Asks whether it is reachable, speaks this protocol at this address and takes the credential, for this package. Changes
   * nothing, but for a small file that comes and goes where that is allowed. @throws DESTINATION_ANSWER for a wrong address
   */
  readonly access: (subject: Subject, asking: Asking) => Promise<Access>;
  /** Asks whether the name and the version are free. */
  readonly nameState: (subject: Subject) => Promise<NameState>;
  /** Asks what is there; never changes anything. @param all every parcel of the same release that goes there. */
  readonly find: (parcel: Parcel, all: readonly Parcel[]) => Promise<Presence>;
  /** Sends it, after `find` said absent. @returns its address. */
  readonly deliver: (parcel: Parcel, sending: Sending) => Promise<string>;
  /** What lies at an address that `find` or `deliver` gave, as it comes. */
  readonly open: (address: string) => Promise<AsyncIterable<Uint8Array>>;
  /** Whether a reader who knows only the name finds this file by now, and why not. */
  readonly isListed: (parcel: ListedParcel) => Promise<string | true>;
  /** Sees to the pointers and indexes that lead to a release, once all its parcels are there. */
  readonly point: (all: readonly Parcel[]) => Promise<Pointed[]>;
  /** Takes prereleases that `keep` has no place for off the indexes, and removes their files. */
  readonly tidy: (subject: Subject) => Promise<Tidied>;
  /** Makes every pointer that leads to a release lead to another one that is there; none where clients choose by version. */
  readonly fallBack: (subject: Subject, to: Subject) => Promise<Pointed[]>;
  /** Takes a release back, the way the protocol allows. @throws WITHDRAW_IMPOSSIBLE */
  readonly withdraw: (subject: Subject, order: WithdrawOrder) => Promise<Withdrawal>;
};

/** The versions that are no longer listed, and why their files are there still; null when they are not. */
export type Tidied = { readonly versions: readonly string[]; readonly whyFilesStay: string | null };

type MethodName = Exclude<keyof Destination, 'name' | 'speaks' | 'over' | 'url'>;

/** What a protocol does, as functions of whatever state it needs. */
export type DestinationMethods<State> = {
  readonly [Name in MethodName]: (
    state: State,
    ...given: Parameters<Destination[Name]>
  ) => ReturnType<Destination[Name]>;
};

/** For protocols that keep every version. */
const keepsAll = async (..._: readonly unknown[]): Promise<Tidied> => ({ versions: [], whyFilesStay: null });

/** A destination whose methods get the same state at every call. */
export function makeDestination<State>(
  about: Pick<Destination, 'name' | 'speaks' | 'over' | 'url'>,
  state: State,
  methods: Omit<DestinationMethods<State>, 'tidy'> & Partial<Pick<DestinationMethods<State>, 'tidy'>>,
): Destination {
  return {
    ...about,
    access: (subject, asking) => methods.access(state, subject, asking),
    nameState: (subject) => methods.nameState(state, subject),
    find: (parcel, all) => methods.find(state, parcel, all),
    deliver: (parcel, sending) => methods.deliver(state, parcel, sending),
    open: (address) => methods.open(state, address),
    isListed: (parcel) => methods.isListed(state, parcel),
    point: (all) => methods.point(state, all),
    tidy: (subject) => (methods.tidy ?? keepsAll)(state, subject),
    fallBack: (subject, to) => methods.fallBack(state, subject, to),
    withdraw: (subject, order) => methods.withdraw(state, subject, order),
  };
}

/** A file that was delivered. */
export type Delivered = { readonly artifact: string; readonly address: string; readonly sha256: string };

/** Opens a destination of one protocol, without sending a request. */
export type Connect = (connection: Connection) => Destination | Promise<Destination>;
