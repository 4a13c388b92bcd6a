import { createHash } from 'node:crypto';
import pLimit, { type LimitFunction } from 'p-limit';
import { type BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { ErrorCode } from '../../core/error/catalog.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import { retryDelay } from '../../core/protocol/retry-delay.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import type { Destination } from '../../destination/destination.ts';
import type { Parcel, Presence } from '../../store/parcel.ts';
import { beforeTime, within } from '../../world/deadline.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { countDown, pauseFor, poll } from '../../world/poll.ts';
import { transferMs } from '../../world/time-limit.ts';
import { type Context, countMoved, warn } from '../context.ts';
import type { EventSink } from '../ledger-record/ledger-writer.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';

/** One artifact at one destination, as it came out. */
export type Delivery = {
  readonly destination: string;
  readonly artifact: string;
  readonly state: 'delivered' | 'already-there' | 'failed' | 'pending' | 'promoted' | 'withdrawn';
  readonly confirmed: 'bytes' | 'entries' | 'no';
  readonly why: string | null;
  readonly address: string | null;
  readonly sha256: string;
  /** Whether it still has to be confirmed: the server took it, and it has not been seen there yet. */
  readonly isUnconfirmed: boolean;
  /** Code of the error that it failed with. */
  readonly code: ErrorCode | null;
};

/** Whether nothing is left to do for a delivery. */
export function isSettled({ state, isUnconfirmed }: Delivery): boolean {
  return state !== 'failed' && state !== 'pending' && !isUnconfirmed;
}

/** One artifact before it is sent, and what the destination said of it; null when it could not be asked. */
export type PlannedDelivery = {
  readonly artifact: ArtifactRecord;
  readonly parcel: Parcel;
  readonly presence: Presence | null;
};

/** All of a release that goes to one destination. */
export type Shipment = {
  readonly release: ReleaseFolder;
  readonly destination: Destination;
  /** How long to try to download a delivery again, in milliseconds. */
  readonly confirmForMs: number;
  /** Whether a delivery that the server took counts before it was downloaded again. */
  readonly confirm: 'now' | 'later';
  readonly deliveries: readonly PlannedDelivery[];
  /** Why the destination could not be asked. */
  readonly trouble: BevelstoneError | null;
};

/** Where what happens is written down, and what is on record already. */
export type DeliveryLedger = {
  readonly writer: EventSink | null;
  /** The destination that the bytes were copied from; left out where they were built. */
  readonly promotedFrom?: string;
  readonly isRecorded: (shipment: Shipment, artifact: ArtifactRecord) => boolean;
};

/** How many files are on their way at once. */
const atOnce = 3;

/**
 * Delivers shipments: destinations side by side, at each one package after another, so that nothing arrives before what it
 * needs. What goes wrong at one destination stops only what follows there.
 * @param shipments in the order of dependencies.
 */
export async function deliverShipments(
  context: Context,
  shipments: readonly Shipment[],
  ledger: DeliveryLedger,
): Promise<ReadonlyMap<Shipment, readonly Delivery[]>> {
  const results = new Map<Shipment, readonly Delivery[]>();
  const limit = pLimit(atOnce);
  const names = [...new Set(shipments.map(({ destination }) => destination.name))];
  const queues = names.map(async (name) => {
    let isStopped = false;
    for (const shipment of shipments.filter(({ destination }) => destination.name === name)) {
      const deliveries: readonly Delivery[] = isStopped
        ? shipment.deliveries.map((delivery) =>
            pendingDelivery(shipment, delivery, 'an earlier delivery there failed or is not confirmed'),
          )
        : await deliverShipment(context, { shipment, limit, ledger });
      results.set(shipment, deliveries);
      isStopped ||= !deliveries.every(isSettled);
    }
  });
  await Promise.all(queues);
  return results;
}

/** Sends all of it, fetches all of it back, and only then moves the pointers that lead to it. */
async function deliverShipment(
  context: Context,
  {
    shipment,
    limit,
    ledger,
  }: { readonly shipment: Shipment; readonly limit: LimitFunction; readonly ledger: DeliveryLedger },
): Promise<Delivery[]> {
  const { destination, deliveries, trouble } = shipment;
  if (trouble !== null) {
    const why = `${trouble.message}: ${trouble.why}`;
    context.report({ type: 'failed', what: `ask ${destination.name}`, why });
    return deliveries.map((delivery) => ({ ...pendingDelivery(shipment, delivery, why), state: 'failed' }));
  }
  const send = (planned: PlannedDelivery) => limit(() => deliverOne(context, { shipment, planned, ledger }));
  const isSymbols = ({ artifact: { form } }: PlannedDelivery) => formDefinitions[form].role === 'symbols';
  const packages = await Promise.all(deliveries.map((planned) => (isSymbols(planned) ? null : send(planned))));
  // A server of symbols knows only packages that it has accepted.
  const areAccepted = packages.every((delivery) => delivery === null || isSettled(delivery));
  const why = 'the package that these symbols belong to is not delivered';
  const sent = await Promise.all(
    deliveries.map(
      (planned, index) => packages[index] ?? (areAccepted ? send(planned) : pendingDelivery(shipment, planned, why)),
    ),
  );
  // Pointers and digests never lead to a file that has not been seen there.
  if (!sent.every(isSettled)) return sent;
  try {
    await pointTo(context, { shipment, sent, ledger });
    return sent;
  } catch (error) {
    if (!isBevelstoneError(error) && !context.signal.aborted) throw error;
    const why = isBevelstoneError(error) ? `${error.message}: ${error.why}` : 'interrupted';
    context.report({ type: 'failed', what: `point to it at ${destination.name}`, why });
    return sent.map((delivery) => ({ ...delivery, state: 'failed', why }));
  }
}

/** A delivery to a stand-in is no step of a run: it has no effect that could be lost. */
function atPoint({ writer }: DeliveryLedger, ...point: Parameters<typeof faultPoint>): void {
  if (writer !== null) faultPoint(...point);
}

async function pointTo(
  context: Context,
  {
    shipment: { release, destination, deliveries },
    sent,
    ledger,
  }: { readonly shipment: Shipment; readonly sent: readonly Delivery[]; readonly ledger: DeliveryLedger },
): Promise<void> {
  const { package: name, version } = release.record;
  const key = pointKey(release.record, destination.name);
  ledger.writer?.announce('pointed', key);
  atPoint(ledger, 'pointed', key, 'before');
  const pointed = await destination.point(deliveries.map(({ parcel }) => parcel));
  atPoint(ledger, 'pointed', key, 'after-effect');
  const isOurs = ({ artifact }: Delivery) =>
    ledger.writer?.isMeant('sent', deliveryKey(release.record, artifact, destination.name)) === true;
  const isNew = sent.some((delivery) => delivery.state === 'delivered' || isOurs(delivery));
  for (const { pointer, from, moved } of pointed.filter((pointed) => pointed.moved || isNew)) {
    ledger.writer?.add({
      type: 'pointed',
      package: name,
      version,
      destination: destination.name,
      pointer,
      from: moved ? from : null,
    });
  }
  await tidyUp(context, { release, destination, ledger });
  if (pointed.some(({ moved }) => moved)) {
    const what = `${name} ${version} at ${destination.name}`;
    context.report({ type: 'finished', what, detail: pointed.map(({ pointer }) => pointer).join(', ') });
  }
}

/** Old prereleases go that the destination's `keep` has no place for, and the ledger says so. */
async function tidyUp(
  context: Context,
  {
    release: { record },
    destination,
    ledger,
  }: { readonly release: ReleaseFolder; readonly destination: Destination; readonly ledger: DeliveryLedger },
): Promise<void> {
  const { package: packageName, name, version, spellings } = record;
  const { versions, whyFilesStay } = await destination.tidy({ packageName, name, version, spellings });
  for (const old of versions) {
    const reason = '`keep` of the destination has no place for it';
    ledger.writer?.add({
      type: 'withdrawn',
      package: packageName,
      version: old,
      destination: destination.name,
      how: whyFilesStay === null ? 'deleted' : 'taken off the list',
      reason,
    });
  }
  if (versions.length === 0) return;
  const what = `${packageName} at ${destination.name}`;
  const done = whyFilesStay === null ? 'removed' : `no longer listed (their files stay: ${whyFilesStay})`;
  context.report({ type: 'finished', what, detail: `old prereleases ${done}: ${versions.join(', ')}` });
}

async function deliverOne(
  context: Context,
  {
    shipment,
    planned,
    ledger,
  }: { readonly shipment: Shipment; readonly planned: PlannedDelivery; readonly ledger: DeliveryLedger },
): Promise<Delivery> {
  const { release, destination } = shipment;
  const { artifact, presence } = planned;
  if (context.signal.aborted) return pendingDelivery(shipment, planned, 'interrupted');
  const { package: name, version } = release.record;
  const what = `${artifact.file} to ${destination.name}`;
  const common = { package: name, version, destination: destination.name, artifact: artifact.file };
  const writer = ledger.isRecorded(shipment, artifact) ? null : ledger.writer;
  context.report({ type: 'started', what });
  const key = deliveryKey(release.record, artifact.file, destination.name);
  try {
    if (presence?.type !== 'same') writer?.announce('sent', key);
    atPoint(ledger, 'sent', key, 'before');
    const { address, isThere } =
      presence?.type === 'same'
        ? { address: presence.address, isThere: true }
        : await sendUntilThere(context, { shipment, plannedDelivery: planned, what });
    atPoint(ledger, 'sent', key, 'after-effect');
    const receipt = { ...common, sha256: artifact.sha256, address };
    if (ledger.promotedFrom === undefined) writer?.add({ type: 'delivered', ...receipt, alreadyThere: isThere });
    else writer?.add({ type: 'promoted', ...receipt, from: ledger.promotedFrom });
    atPoint(ledger, 'confirmed', key, 'before');
    const seen = await confirmDelivery(context, { shipment, plannedDelivery: planned, address, what });
    atPoint(ledger, 'confirmed', key, 'after-effect');
    const { confirmed, why } = seen;
    writer?.add({ type: 'confirmed', ...common, confirmed, why });
    const blank = { ...pendingDelivery(shipment, planned, why), confirmed, address };
    if (seen.isDifferent) {
      context.report({ type: 'failed', what, why: `what ${destination.name} gives back is not what was sent: ${why}` });
      return { ...blank, state: 'failed' };
    }
    if (why !== null) warn(context, `${what} is not confirmed: the server accepted it, but ${why}`);
    context.report({
      type: 'finished',
      what,
      detail: isThere ? 'already there' : why === null ? 'delivered' : 'not confirmed',
    });
    const state = isThere ? 'already-there' : 'delivered';
    return {
      ...blank,
      state,
      isUnconfirmed: why !== null && shipment.confirm === 'now' && !isOneWay(destination, artifact),
    };
  } catch (error) {
    if (!isBevelstoneError(error) && !context.signal.aborted) throw error;
    const why = isBevelstoneError(error) ? `${error.message}: ${error.why}` : 'interrupted';
    context.report({ type: 'failed', what, why });
    const code = isBevelstoneError(error) ? error.code : null;
    return { ...pendingDelivery(shipment, planned, why), state: 'failed', code };
  }
}

/**
 * Sends a parcel. Whenever that fails the destination is asked before anything is sent again: the answer may have been
 * lost, or another run was quicker.
 */
async function sendUntilThere(
  context: Context,
  {
    shipment: { destination, deliveries, confirmForMs },
    plannedDelivery: { parcel },
    what,
  }: { readonly shipment: Shipment; readonly plannedDelivery: PlannedDelivery; readonly what: string },
): Promise<{ address: string; isThere: boolean }> {
  const all = deliveries.map((delivery) => delivery.parcel);
  for (let attempt = 1; ; attempt++) {
    const moved = countMoved(context, what, parcel.sizeBytes);
    try {
      return { address: await destination.deliver(parcel, { all, moved }), isThere: false };
    } catch (error) {
      context.signal.throwIfAborted();
      if (!isBevelstoneError(error, ...doubtful)) throw error;
      // Taken, says the server, and its index may show it only later.
      const isTaken = isBevelstoneError(error, 'DELIVERY_EXISTS', 'DESTINATION_ANSWER');
      const found = await askUntil(context, {
        what,
        withinMs: isTaken ? confirmForMs : 0,
        ask: () => destination.find(parcel, all),
      });
      if (found?.type === 'same') return { address: found.address, isThere: true };
      const isPassing = isBevelstoneError(error, 'DESTINATION_UNREACHABLE', 'DESTINATION_BUSY');
      const { retryAfterMs } = error;
      const delay = isPassing ? retryDelay({ attempt, retryAfterMs, random: Math.random() }) : null;
      if (delay === null || found?.type !== 'absent') throw error;
      context.report({
        type: 'waiting',
        what,
        why: `${error.message}: ${error.why}; retrying in ${Math.ceil(delay / 1000)} s`,
      });
      await pauseFor(delay, context.signal);
    }
  }
}

/** Failures after which the file may be there all the same. */
const doubtful = [
  'DESTINATION_REFUSED',
  'DESTINATION_UNREACHABLE',
  'DESTINATION_ANSWER',
  'DESTINATION_BUSY',
  'DELIVERY_EXISTS',
] as const;

/** Asks until the answer is another than absent, or the time is over. @returns null when it can't be asked. */
async function askUntil(
  context: Context,
  { what, withinMs, ask }: { readonly what: string; readonly withinMs: number; readonly ask: () => Promise<Presence> },
): Promise<Presence | null> {
  return poll<Presence | null>({
    withinMs,
    signal: context.signal,
    ask: () =>
      ask().catch((error: unknown) => {
        if (isBevelstoneError(error)) return null;
        throw error;
      }),
    isDone: (found) => found === null || found.type !== 'absent',
    onWait: () => context.report({ type: 'waiting', what, why: 'it is taken there, and not listed yet' }),
  });
}

/** What came of downloading a delivery again. */
type Confirmation = {
  readonly confirmed: 'bytes' | 'entries' | 'no';
  readonly why: string | null;
  /** Whether something else lies there. */
  readonly isDifferent: boolean;
};

/** Whether a destination has no download of a file: no waiting confirms it. */
function isOneWay({ speaks }: Destination, { form }: ArtifactRecord): boolean {
  return protocolDefinitions[speaks].oneWay.includes(form);
}

/** Downloads a delivery again and compares it, until it is there or the time is over. */
async function confirmDelivery(
  context: Context,
  {
    shipment: { destination, confirmForMs },
    plannedDelivery: { artifact, parcel },
    address,
    what,
  }: {
    readonly shipment: Shipment;
    readonly plannedDelivery: PlannedDelivery;
    readonly address: string;
    readonly what: string;
  },
): Promise<Confirmation> {
  if (isOneWay(destination, artifact)) {
    const why = `${destination.speaks} has no download of ${artifact.form} files`;
    return { confirmed: 'no', why, isDifferent: false };
  }
  // A repository has what is in an artifact, which is compared with it entry by entry.
  const isTree = protocolDefinitions[destination.speaks].usesGit;
  const found = await poll<Mismatch | null>({
    withinMs: confirmForMs,
    signal: context.signal,
    ask: (leftMs) =>
      isTree
        ? compareTree(destination, parcel)
        : compareBytes({ destination, address, artifactRecord: artifact, limitMs: Math.max(leftMs, leastConfirmMs) }),
    isDone: (mismatch) => mismatch === null,
    onWait: (mismatch) => context.report({ type: 'waiting', what, why: mismatch?.why ?? '' }),
  });
  const confirmed = isTree ? 'entries' : 'bytes';
  return found === null ? { confirmed, why: null, isDifferent: false } : { confirmed: 'no', ...found };
}

async function compareTree(destination: Destination, parcel: Parcel): Promise<Mismatch | null> {
  try {
    const found = await destination.find(parcel, [parcel]);
    if (found.type === 'same') return null;
    const why = found.type === 'different' ? found.why : 'it is not there yet';
    return { why, isDifferent: found.type === 'different' };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { why: `${error.message}: ${error.why}`, isDifferent: false };
  }
}

/** Even at the end of its time a download gets this long to begin. */
const leastConfirmMs = 2000;

/** Why the file at an address is not the artifact: other bytes, or unreadable. */
export type Mismatch = { readonly why: string; readonly isDifferent: boolean };

/**
 * Whether what lies at an address is the artifact. No more of it is read than the artifact has bytes.
 * @param limitMs for the download, beside the time that its bytes take.
 * @returns null, or why not.
 */
export async function compareBytes({
  destination,
  address,
  artifactRecord: { sha256, size },
  limitMs,
}: {
  readonly destination: Destination;
  readonly address: string;
  readonly artifactRecord: Pick<ArtifactRecord, 'sha256' | 'size'>;
  readonly limitMs: number;
}): Promise<Mismatch | null> {
  const hash = createHash('sha256');
  let sizeBytes = 0;
  try {
    const left = countDown(limitMs + transferMs(size));
    for await (const chunk of within(await beforeTime(destination.open(address), left), left)) {
      hash.update(chunk);
      sizeBytes += chunk.length;
      if (sizeBytes > size) return { why: `more than its ${size} bytes came back`, isDifferent: true };
    }
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { why: `${error.message}: ${error.why}`, isDifferent: false };
  }
  return hash.digest('hex') === sha256 ? null : { why: 'other bytes came back', isDifferent: true };
}

type Versioned = { readonly package: string; readonly version: string };

/** Names a delivery in journals. */
export function deliveryKey({ package: name, version }: Versioned, artifact: string, destination: string): string {
  return `${name}@${version} ${artifact} ${destination}`;
}

/** Names the moving of a release's pointers in journals. */
export function pointKey({ package: name, version }: Versioned, destination: string): string {
  return `${name}@${version} ${destination}`;
}

/** A delivery that has not been made. */
export function pendingDelivery(
  { destination }: Pick<Shipment, 'destination'>,
  { artifact }: Pick<PlannedDelivery, 'artifact'>,
  why: string | null,
): Delivery {
  const { file, sha256 } = artifact;
  return {
    destination: destination.name,
    artifact: file,
    state: 'pending',
    confirmed: 'no',
    why,
    address: null,
    sha256,
    isUnconfirmed: false,
    code: null,
  };
}
