import type { Parcel } from '../../store/parcel.ts';
import { expectDone, isDone, refused, textBody, unexpectedAnswer } from '../../store/web.ts';
import { drain, type HttpRequest } from '../../world/http.ts';
import { sentBytes } from '../../world/sent-file.ts';
import type { Registry, Repository } from './registry.ts';

/** What is sent in one request; beyond it a blob goes in chunks. */
export const chunkBytes = 64 << 20;

async function hasBlob({ session, base, repository }: Repository, digest: string): Promise<boolean> {
  const answer = await session.call(repository, { method: 'HEAD', url: `${base}v2/${repository}/blobs/${digest}` });
  await drain(answer);
  return answer.status === 200;
}

/** Begins an upload, or takes the blob over from another repository. @returns where to send it, null when it is there. */
async function beginUpload(at: Repository, digest: string): Promise<string | null> {
  const { placed, base, session, web, repository } = at;
  const from = placed.get(digest);
  const mount = from === undefined || from === repository ? '' : `?mount=${digest}&from=${encodeURIComponent(from)}`;
  const target = `${base}v2/${repository}/blobs/uploads/`;
  const answer = await session.callText(repository, { method: 'POST', url: `${target}${mount}` }, () => textBody(''));
  if (answer.status === 201) return null;
  expectDone(web, `an upload to ${repository}`, answer);
  return locationOf(at, answer.headers['location'], target);
}

/** Where an upload goes on, as the server says. @throws DESTINATION_STRANGE */
export function locationOf({ web, base }: Registry, location: unknown, from: string): string {
  if (typeof location === 'string' && URL.canParse(location, from)) return new URL(location, from).href;
  throw unexpectedAnswer(web.name, 'it began an upload and did not say where', base);
}

/** Puts a small blob, unless the repository has it. @param body is asked for anew at every try. */
export async function putBlob(at: Repository, digest: string, body: () => HttpRequest['body']): Promise<void> {
  const { session, web, placed, repository } = at;
  if (await hasBlob(at, digest)) return;
  const location = await beginUpload(at, digest);
  if (location === null) return;
  const answer = await session.callText(
    repository,
    { method: 'PUT', url: withDigest(location, digest), headers: { 'content-type': 'application/octet-stream' } },
    body,
  );
  expectDone(web, digest, answer);
  placed.set(digest, repository);
}

/** Sends a large blob in chunks; after a cut the registry is asked how much it has ("Pushing a blob in chunks"). */
export async function putChunked(at: Repository, parcel: Parcel, moved: (bytes: number) => void): Promise<void> {
  const { session, web, placed, repository } = at;
  const digest = `sha256:${parcel.sha256}`;
  if (await hasBlob(at, digest)) return;
  let location = await beginUpload(at, digest);
  if (location === null) return;
  let sent = 0;
  for (let cuts = 0; sent < parcel.sizeBytes; ) {
    const end = Math.min(sent + chunkBytes, parcel.sizeBytes) - 1;
    const [start, target] = [sent, location];
    const headers = { 'content-type': 'application/octet-stream', 'content-range': `${start}-${end}` };
    const chunks = () => ({
      chunks: sentBytes(parcel, () => {}, { start, end: end + 1 }),
      sizeBytes: end - start + 1,
    });
    const answer = await session
      .callText(repository, { method: 'PATCH', url: target, headers }, chunks)
      .catch((error: unknown) => {
        if (++cuts > 3) throw error;
        return null;
      });
    if (answer !== null && isDone(answer.status)) {
      location = locationOf(at, answer.headers['location'] ?? target, target);
      moved(end + 1 - sent);
      sent = end + 1;
      continue;
    }
    if (answer !== null && (answer.status !== 416 || ++cuts > 3)) throw refused(web, parcel.fileName, answer);
    const asked = await session.callText(repository, { method: 'GET', url: target });
    if (asked.status !== 204) throw refused(web, `how far ${parcel.fileName} came`, asked);
    // `0-0` is said of an upload that has nothing yet; a chunk of one byte is never sent.
    const last = Number(/-(\d+)$/.exec(String(asked.headers['range'] ?? ''))?.[1] ?? 0);
    sent = last === 0 ? 0 : last + 1;
    location = locationOf(at, asked.headers['location'] ?? target, target);
  }
  const answer = await session.callText(repository, { method: 'PUT', url: withDigest(location, digest) }, () =>
    textBody(''),
  );
  expectDone(web, digest, answer);
  placed.set(digest, repository);
}

function withDigest(location: string, digest: string): string {
  const url = new URL(location);
  url.searchParams.set('digest', digest);
  return url.href;
}
