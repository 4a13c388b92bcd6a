import { encodeForm } from '../core/protocol/multipart.ts';
import type { HttpRequest } from '../world/http.ts';
import type { Access } from './destination.ts';
import { callText, refused, skewOf, textBody, type Web } from './web.ts';

/** Where uploads go, and the texts that a form there begins with. */
export type EmptyForm = {
  readonly method: HttpRequest['method'];
  readonly url: string;
  readonly fields: readonly (readonly [string, string])[];
};

/** Tries a credential with a form that can't publish anything: a server complains about it only after it looked at who asks. */
export async function accessByEmptyForm(web: Web, { method, url, fields }: EmptyForm): Promise<Access> {
  const isAnonymous = Object.keys(web.headers).length === 0;
  const form = encodeForm(fields, { field: 'none', fileName: 'none', contentType: 'text/plain' }, 'x7q2');
  const body = textBody(form.before.toString() + form.behind.toString());
  const answer = await callText(web, { method, url, headers: { 'content-type': form.contentType }, body });
  const common = { opens: 'unknown', skewMs: skewOf(answer) } as const;
  if (answer.status === 401 || answer.status === 403) {
    if (isAnonymous) return { credential: 'none', why: 'an upload needs one', ...common };
    return { credential: 'refused', why: refused(web, 'the credential', answer).why, ...common };
  }
  if (answer.status === 400) return { credential: isAnonymous ? 'none' : 'accepted', why: null, ...common };
  return { credential: 'unknown', why: `an empty upload was answered with ${answer.status}`, ...common };
}
