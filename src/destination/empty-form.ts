import { encodeForm } from '../core/protocol/multipart.ts';
import { packageRight, writePermission } from '../core/protocol/untested.ts';
import { aboutServer, deniedAccess, isDenied } from '../store/access.ts';
import type { Access } from '../store/parcel.ts';
import { callText, isDone, notThisProtocol, refused, strangeAnswer, textBody, type Web } from '../store/web.ts';
import type { HttpRequest } from '../world/http.ts';

/** Where uploads go, and the texts that a form there begins with. */
export type EmptyForm = {
  readonly method: HttpRequest['method'];
  readonly url: string;
  readonly fields: readonly (readonly [string, string])[];
};

/** The statuses with which servers refuse an incomplete form, after they have checked the credential. */
const complaints: ReadonlySet<number> = new Set([400, 415, 422]);

/**
 * Tries address and credential with a form that can't publish anything: a server that takes uploads there complains about the
 * form, and only after it looked at who asks.
 * @throws DESTINATION_ANSWER where nothing takes uploads.
 */
export async function accessByEmptyForm(web: Web, { method, url, fields }: EmptyForm): Promise<Access> {
  const isAnonymous = Object.keys(web.headers).length === 0;
  const form = encodeForm(fields, { field: 'none', fileName: 'none', contentType: 'text/plain' }, 'x7q2');
  const body = textBody(form.before.toString() + form.behind.toString());
  const answer = await callText(web, { method, url, headers: { 'content-type': form.contentType }, body });
  if (isDenied(answer)) return deniedAccess(web, answer);
  if (complaints.has(answer.status) && strangeAnswer(answer, url) === null)
    return {
      ...aboutServer(answer),
      credential: isAnonymous ? 'none' : 'accepted',
      why: null,
      untested: [packageRight],
    };
  if (answer.status >= 500) throw refused(web, 'an empty upload', answer);
  if (isDone(answer.status) && strangeAnswer(answer, url) === null) {
    const why = `it took an empty upload (${answer.status}), so it does not show whether it looked at the credential`;
    return { ...aboutServer(answer), credential: isAnonymous ? 'none' : 'unknown', why, untested: [writePermission] };
  }
  throw notThisProtocol(web, { asked: url, answer, expected: 'it does not take uploads at this address' });
}
