import { createHash, type Hash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { type FileHandle, open, stat } from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { fileURLToPath } from 'node:url';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { readLimitsInForce } from './archive/budget.ts';
import { drain, type HttpAnswer, send } from './http.ts';

/** What is fetched, and where it may lead. */
export type DownloadRequest = {
  readonly url: string;
  /** Absolute path of a new file. */
  readonly file: string;
  /** Origins that a redirect may lead to, beside its own. */
  readonly trusted: readonly string[];
  readonly signal: AbortSignal;
  /** @param size in bytes; null where the server does not say. */
  readonly onBytes: (count: number, size: number | null) => void;
};

/** What came: bytes and SHA-256. */
export type Downloaded = { readonly sizeBytes: number; readonly sha256: string };

const attempts = 4;

/**
 * Fetches a file. One that is cut is continued where it stopped (RFC 9110 §14), or begun again where the server cannot do that.
 * @throws INPUT_REDIRECTED, INPUT_CUT, INPUT_UNREACHABLE
 */
export async function download(request: DownloadRequest): Promise<Downloaded> {
  const handle = await open(request.file, 'wx');
  try {
    return await new Download(request, handle).run();
  } finally {
    await handle.close();
  }
}

class Download {
  readonly #request: DownloadRequest;
  readonly #handle: FileHandle;
  #hash: Hash = createHash('sha256');
  #sizeBytes = 0;
  /** The farthest that any attempt came. */
  #most = 0;
  #whole: number | null = null;
  /** A validator of these very bytes; weak ones do not hold for a part (RFC 9110 §13.1.5). */
  #tag: string | null = null;
  #isBegunAgain = false;

  constructor(request: DownloadRequest, handle: FileHandle) {
    this.#request = request;
    this.#handle = handle;
  }

  async run(): Promise<Downloaded> {
    for (let attempt = 1; ; attempt++) {
      try {
        await this.#attempt();
        break;
      } catch (error) {
        if (!isBevelstoneError(error, 'DESTINATION_UNREACHABLE')) throw error;
        if (this.#most === 0) throw unreachable(this.#request.url, error.why, error);
        if (attempt === attempts) throw this.#cut(error);
      }
    }
    await this.#handle.sync();
    return { sizeBytes: this.#sizeBytes, sha256: this.#hash.digest('hex') };
  }

  async #attempt(): Promise<void> {
    const { url, signal } = this.#request;
    const range = this.#sizeBytes === 0 ? {} : { range: `bytes=${this.#sizeBytes}-` };
    const headers = { ...range, ...(this.#tag === null || this.#sizeBytes === 0 ? {} : { 'if-range': this.#tag }) };
    const onRedirect = (to: URL) => this.#refuseRedirect(to);
    const answer = await send({ method: 'GET', url, headers, signal, onRedirect });
    if (!this.#continues(answer)) await this.#beginAgain(answer);
    for await (const chunk of answer.chunks) {
      this.#hash.update(chunk);
      await this.#handle.write(chunk, 0, chunk.length, this.#sizeBytes);
      this.#sizeBytes += chunk.length;
      this.#most = Math.max(this.#most, this.#sizeBytes);
      // A server could go on for ever; what is larger could not be unpacked either.
      if (this.#sizeBytes > readLimitsInForce().unpackedBytes) throw tooLong(url);
      this.#request.onBytes(chunk.length, this.#whole);
    }
    if (this.#whole !== null && this.#sizeBytes !== this.#whole) throw cutShort(url);
  }

  /** Whether an answer is exactly what is missing. */
  #continues({ status, headers }: HttpAnswer): boolean {
    const range = /^bytes (\d+)-\d+\/(\d+|\*)$/.exec(String(headers['content-range'] ?? ''));
    return status === 206 && Number(range?.[1]) === this.#sizeBytes && this.#sizeBytes > 0;
  }

  async #beginAgain(answer: HttpAnswer): Promise<void> {
    const { status, headers } = answer;
    const { url } = this.#request;
    if (this.#sizeBytes > 0) {
      this.#isBegunAgain = true;
      [this.#sizeBytes, this.#hash] = [0, createHash('sha256')];
      await this.#handle.truncate();
    }
    if (status === 416 || status === 206) {
      await drain(answer);
      throw cutShort(url);
    }
    if (status !== 200) {
      await drain(answer);
      throw unreachable(url, `it answered with status ${status}`);
    }
    const length = headers['content-length'];
    // Of a body that is packed for the way, the length says nothing.
    this.#whole = typeof length === 'string' && headers['content-encoding'] === undefined ? Number(length) : null;
    const tag = headers['etag'];
    this.#tag = typeof tag === 'string' && tag.startsWith('"') ? tag : null;
  }

  #refuseRedirect(to: URL): void {
    const { url, trusted } = this.#request;
    if (to.origin === new URL(url).origin || trusted.includes(to.origin)) return;
    throw new BevelstoneError('INPUT_REDIRECTED', {
      message: `${url} was not fetched`,
      why: `it redirects to another host, ${to.origin}`,
      fix: `If that host is right, add it to \`also-trusts\` of the input: ["${to.origin}"]`,
    });
  }

  #cut(cause: BevelstoneError): BevelstoneError {
    const { url } = this.#request;
    const of = this.#whole === null ? '' : ` of ${this.#whole}`;
    const how = this.#isBegunAgain ? ' The server cannot continue a download, so each attempt began again.' : '';
    return new BevelstoneError('INPUT_CUT', {
      message: `${url} could not be fetched whole`,
      why: `${attempts} attempts; they came as far as ${this.#most}${of} bytes: ${cause.why}.${how}`,
      fix: 'Try again later, or add another address to `from` of the input',
      cause,
    });
  }
}

function cutShort(url: string): BevelstoneError {
  return new BevelstoneError('DESTINATION_UNREACHABLE', {
    message: `${url} ended early`,
    why: 'the connection was cut',
    fix: 'Try again later',
  });
}

function unreachable(url: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('INPUT_UNREACHABLE', {
    message: `${url} could not be fetched`,
    why,
    fix: 'Check the address, or add another one to `from` of the input',
    ...(cause === undefined ? {} : { cause }),
  });
}

function tooLong(url: string): BevelstoneError {
  return new BevelstoneError('INPUT_UNREACHABLE', {
    message: `${url} is too long`,
    why: 'more came than `limits.unpacked` of bevelstone.yaml allows',
    fix: 'Check the address, or raise that limit',
  });
}

/**
 * Where an address that is not of the web lies on this machine: a path, or an address of a file (RFC 8089).
 * @param root that a path is relative to. @throws INPUT_UNREACHABLE for addresses of any other kind
 */
export function placeOnDisk(root: string, address: string): string {
  if (/^file:\/\//i.test(address) && URL.canParse(address)) return fileURLToPath(address);
  if (/^[a-z][a-z0-9+.-]*:\/\//i.test(address))
    throw unreachable(address, 'it is neither an address of the web nor one of a file');
  return path.resolve(root, address);
}

/** The same for a file of this machine. @throws INPUT_UNREACHABLE */
export async function copyDigested(from: string, file: string): Promise<Downloaded> {
  const place = await stat(from).catch(() => null);
  // A device could go on for ever.
  if (place !== null && !place.isFile()) throw unreachable(from, 'it is not a file');
  const hash = createHash('sha256');
  let sizeBytes = 0;
  const handle = await open(file, 'wx');
  try {
    await pipeline(createReadStream(from), async (chunks: AsyncIterable<Buffer>) => {
      for await (const chunk of chunks) {
        hash.update(chunk);
        sizeBytes += chunk.length;
        await handle.writeFile(chunk);
      }
    });
    await handle.sync();
  } catch (cause) {
    const { code } = cause as NodeJS.ErrnoException;
    if (!['ENOENT', 'ENOTDIR', 'EACCES', 'EISDIR'].includes(code ?? '')) throw cause;
    throw unreachable(from, code === 'EACCES' ? 'permission is denied' : 'there is no such file', cause);
  } finally {
    await handle.close();
  }
  return { sizeBytes, sha256: hash.digest('hex') };
}
