import path from 'node:path';
import type { InputConfig } from '../../core/config/config.ts';
import { BevelstoneError, isBevelstoneError, type Problem } from '../../core/error/bevelstone-error.ts';
import { inputAddress } from '../../core/input/input-address.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { copyDigested, type Downloaded, download, placeOnDisk } from '../../world/download.ts';
import { exists, sizeOf } from '../../world/files.ts';
import type { Repository } from '../../world/git/repository.ts';
import { type CachedFile, InputCache } from '../../world/input-cache.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { placeInside } from '../../world/place-inside.ts';
import { checkSignature } from '../../world/signature.ts';
import { type Context, warn } from '../context.ts';
import { resolveUrl } from '../workspace/resolve-url.ts';

/** An input of a package, and where the files are that its configuration names. */
export type InputPlace = {
  readonly repository: Repository;
  readonly package: string;
  readonly input: InputConfig;
  /** Absolute path of the package's folder in a checkout, which has the key. */
  readonly folder: string;
};

/** An input that is here. */
export type FetchedInput = CachedFile & {
  /** Whether a signature was checked, and by whom it is. */
  readonly signature: SignatureState;
};

/** What is known of a signature. */
export type SignatureState =
  | { readonly type: 'good'; readonly by: string }
  | { readonly type: 'not-checked'; readonly why: string };

/**
 * The file of an input, from the cache or from the first of its addresses that has it.
 * @throws INPUT_UNPINNED after it was fetched, with its checksum; INPUT_DIFFERS, INPUT_UNREACHABLE, INPUT_CUT, INPUT_REDIRECTED,
 * INPUT_SIGNATURE, TOOL_MISSING
 */
export async function fetchInput(context: Context, place: InputPlace): Promise<FetchedInput> {
  const { input, repository } = place;
  const cache = new InputCache(repository.commonFolder);
  const known = input.sha256 === null ? null : await cache.find(input.sha256);
  const found = known ?? (await fetchAnew(context, place, input.sha256));
  if (input.sha256 === null) throw unpinned(place, found.sha256);
  return { ...found, signature: await signatureState(context, place, found) };
}

/** Fetches an input whatever is in the cache. @param sha256 what it has to be; null for anything. */
export async function fetchAnew(context: Context, place: InputPlace, sha256: string | null): Promise<CachedFile> {
  const { input } = place;
  const what = `fetch ${input.name}${input.version === null ? '' : ` ${input.version}`} for ${place.package}`;
  context.report({ type: 'started', what });
  const failures: BevelstoneError[] = [];
  for (const address of input.from) {
    try {
      const found = await fetchFrom(context, { place, address, what, sha256 });
      context.report({ type: 'finished', what });
      for (const failure of failures)
        warn(context, `another address of ${input.name} had it: ${failure.message}: ${failure.why}`);
      return found;
    } catch (error) {
      if (!(error instanceof BevelstoneError) || !isOfAddress(error)) throw error;
      failures.push(error);
    }
  }
  context.report({ type: 'failed', what, why: 'see below' });
  throw together(place, failures);
}

/** Whether another address may have what this one has not. */
function isOfAddress(error: BevelstoneError): boolean {
  return isBevelstoneError(
    error,
    'INPUT_DIFFERS',
    'INPUT_UNREACHABLE',
    'INPUT_CUT',
    'INPUT_REDIRECTED',
    'ENVIRONMENT_MISSING',
  );
}

async function fetchFrom(
  context: Context,
  {
    place,
    address,
    what,
    sha256,
  }: {
    readonly place: InputPlace;
    readonly address: string;
    readonly what: string;
    readonly sha256: string | null;
  },
): Promise<CachedFile> {
  const { input, repository } = place;
  const url = addressOf(context, place, address);
  let moved = 0;
  const onBytes = (count: number, of: number | null) => {
    moved += count;
    context.report({ type: 'moved', what, bytes: moved, of });
  };
  return new InputCache(repository.commonFolder).fill(
    (file): Promise<Downloaded> =>
      isWeb(url)
        ? download({ url, file, trusted: input['also-trusts'], signal: context.signal, onBytes })
        : copyDigested(url, file),
    (found) => {
      if (sha256 !== null && found.sha256 !== sha256) throw differs(place, url, { found, sha256 });
    },
  );
}

/** The address as it is fetched: a web address, or an absolute path. */
function addressOf(context: Context, { input, repository }: InputPlace, address: string): string {
  const url = resolveUrl(context, `the input ${input.name}`, inputAddress(address, input.version));
  return isWeb(url) ? url : placeOnDisk(repository.root, url);
}

function isWeb(url: string): boolean {
  return /^https?:\/\//.test(url);
}

/** Checks the signature of a file that is here, once for each key. @throws INPUT_SIGNATURE, TOOL_MISSING */
export async function signatureState(context: Context, place: InputPlace, found: CachedFile): Promise<SignatureState> {
  const { signature } = place.input;
  if (signature === null) return { type: 'not-checked', why: 'none is configured' };
  if (signature.key === null) return { type: 'not-checked', why: 'no key is given' };
  const key = await placeInside(place.folder, signature.key, `\`key\` of ${place.input.name}`);
  if (!(await exists(key))) throw badSignature(place, `there is no file ${signature.key} at the commit`);
  const cache = new InputCache(place.repository.commonFolder);
  const keyDigest = await fileDigest(key, await sizeOf(key));
  const known = await cache.signerOf(found.sha256, keyDigest);
  if (known !== null) return { type: 'good', by: known };
  const own = await makeOwnFolder(place.repository.commonFolder, 'signature');
  try {
    const file = path.join(own.folder, 'signature');
    const url = addressOf(context, place, signature.from);
    if (isWeb(url))
      await download({ url, file, trusted: place.input['also-trusts'], signal: context.signal, onBytes: () => {} });
    else await copyDigested(url, file);
    const checked = await checkSignature({
      file: found.file,
      signature: file,
      key,
      folder: own.folder,
      env: context.env,
      signal: context.signal,
    });
    if (checked.type === 'bad') throw badSignature(place, checked.why);
    if (checked.type === 'not-checked') throw noProgram(place, checked.program);
    await cache.rememberSigner(found.sha256, keyDigest, checked.by);
    return checked;
  } finally {
    await own.remove();
  }
}

function unpinned({ input, package: pkg }: InputPlace, sha256: string): BevelstoneError {
  return new BevelstoneError('INPUT_UNPINNED', {
    message: `${pkg}: the input ${input.name} has no checksum`,
    why: `what is there now has sha256: ${sha256}`,
    fix: `Compare it with what its makers say, then write it down: bevelstone inputs update ${input.name}`,
    where: { file: 'bevelstone.yaml' },
  });
}

function differs(
  { input, package: pkg }: InputPlace,
  url: string,
  { found, sha256 }: { readonly found: Downloaded; readonly sha256: string },
): BevelstoneError {
  return new BevelstoneError('INPUT_DIFFERS', {
    message: `${pkg}: ${url} is not the input ${input.name} that the configuration names`,
    why: `its SHA-256 is ${found.sha256} (${found.sizeBytes} bytes), expected is ${sha256}`,
    fix: `Find out why before you trust it. If it is a new release of ${input.name}: bevelstone inputs update ${input.name}`,
    where: { file: 'bevelstone.yaml' },
  });
}

function together({ input, package: pkg }: InputPlace, failures: readonly BevelstoneError[]): BevelstoneError {
  const [first] = failures;
  if (first !== undefined && failures.length === 1) return first;
  const problems: Problem[] = failures.map(({ code, message, why, fix }) => ({
    code,
    message: `${message}: ${why}`,
    fix,
    where: null,
  }));
  return new BevelstoneError('INPUT_UNREACHABLE', {
    message: `${pkg}: none of the ${failures.length} addresses of the input ${input.name} gave it`,
    why: 'each is listed with its reason',
    fix: 'Correct `from` of the input, or try again later',
    problems,
  });
}

function badSignature({ input, package: pkg }: InputPlace, why: string): BevelstoneError {
  return new BevelstoneError('INPUT_SIGNATURE', {
    message: `${pkg}: the signature of the input ${input.name} does not hold`,
    why,
    fix: 'Do not use the file until you know why; check `signature` of the input',
    where: { file: 'bevelstone.yaml' },
  });
}

function noProgram({ input, package: pkg }: InputPlace, program: string): BevelstoneError {
  return new BevelstoneError('TOOL_MISSING', {
    message: `${pkg}: the signature of the input ${input.name} could not be checked`,
    why: `${program} is not on the PATH`,
    fix: `Install ${program}, or remove \`key\` from the input, which leaves the signature unchecked`,
  });
}
