import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { objectOf } from '../core/manifest/fields.ts';
import { isPassing } from '../core/protocol/retry-delay.ts';
import { cleanText } from '../core/text/clean.ts';
import { clipRedacted } from '../core/text/redact.ts';
import { unreachable } from './http.ts';
import { timeLimits, transferMs } from './time-limit.ts';

/** What is being asked of a store, for its errors. */
export type StoreCall = {
  readonly destination: string;
  readonly what: string;
  readonly url: string;
  readonly signal: AbortSignal;
  /** What no message may hold. */
  readonly secrets: ReadonlySet<string>;
  /** How much is sent. */
  readonly sizeBytes: number;
};

/** Runs one request of the store's client and tells its failures in our words. */
export async function callStore<Value>(call: StoreCall, work: (signal: AbortSignal) => Promise<Value>): Promise<Value> {
  const whole = new AbortController();
  const limitMs = Math.ceil(timeLimits.wholeMs + transferMs(call.sizeBytes));
  const timer = setTimeout(() => whole.abort(), limitMs);
  try {
    return await work(AbortSignal.any([call.signal, whole.signal]));
  } catch (error) {
    if (error instanceof BevelstoneError || call.signal.aborted) throw error;
    throw translate(call, whole.signal.aborted ? Object.assign(new Error('too slow'), { code: 'TOO_SLOW' }) : error);
  } finally {
    clearTimeout(timer);
  }
}

/** Whether an error of `callStore` is an answer with this status. */
export function isStatus(error: unknown, status: number): boolean {
  return error instanceof BevelstoneError && statusOf(error.cause) === status;
}

/** The store's own code for an error of `callStore`, such as `NoSuchBucket`; '' for none. */
export function storeCode(error: unknown): string {
  return error instanceof BevelstoneError && error.cause instanceof Error ? error.cause.name : '';
}

function statusOf(error: unknown): number | null {
  const status = objectOf(objectOf(error)['$metadata'])['httpStatusCode'];
  return typeof status === 'number' ? status : null;
}

/** What is kept of the client's error: it drags the whole request along, with the headers that let us in. */
function bareCause(error: unknown): Error {
  const { name, message, stack } = error instanceof Error ? error : new Error(String(error));
  const { $metadata, code, errors } = objectOf(error);
  return Object.assign(new Error(message), { name, stack, $metadata, code, errors });
}

function translate({ destination, what, url, secrets }: StoreCall, error: unknown): BevelstoneError {
  const status = statusOf(error);
  const cause = bareCause(error);
  const { name } = cause;
  const message = cleanText(clipRedacted(cause.message, 200, secrets));
  if (name === 'CredentialsProviderError') {
    return new BevelstoneError('CREDENTIAL_MISSING', {
      message: `no credential for ${destination}`,
      why: 'none found in the environment, shared files or the machine’s role',
      fix: 'Log in to this store as usual, or set keys in `credential`',
      cause,
    });
  }
  if (status === null) return unreachable(url, cause);
  if (status >= 200 && status <= 399) {
    return new BevelstoneError('DESTINATION_ANSWER', {
      message: `${destination} did not answer as its protocol requires`,
      why: `it answered ${status}, and not as an object store does: perhaps a web page or a redirect`,
      fix: `Check the address: ${url}`,
      cause,
    });
  }
  const why = `it answered ${status}${name === '' || name === 'Unknown' ? '' : ` ${name}`}${message === '' || message === name ? '' : `: ${message}`}`;
  if (status === 401 || status === 403) {
    const isClock = name === 'RequestTimeTooSkewed';
    return new BevelstoneError('CREDENTIAL_REFUSED', {
      message: `${destination} refused ${what}`,
      why,
      fix: isClock ? 'Set the clock of this machine' : 'Use keys with write access to this bucket',
      cause,
    });
  }
  const isBusy = isPassing(status) || name === 'SlowDown';
  return new BevelstoneError(isBusy ? 'DESTINATION_BUSY' : 'DESTINATION_REFUSED', {
    message: isBusy ? `${destination} is busy: ${what}` : `${destination} refused ${what}`,
    why,
    fix: isBusy
      ? 'Wait a little and run the same command again; it asks first what arrived'
      : 'Settle what it complains about, then run the same command again',
    cause,
  });
}
