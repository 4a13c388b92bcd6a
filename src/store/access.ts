import type { HttpAnswer } from '../world/http.ts';
import type { Access } from './parcel.ts';
import { refused, serverOf, skewOf, type TextAnswer, type Web } from './web.ts';

/** How many repositories, buckets or packages a probe lists. */
export const shownPlaces = 20;

/** Where no answer tells anything. */
export const nothingKnown: Omit<Access, 'credential' | 'why'> = {
  opens: 'unknown',
  skewMs: null,
  server: null,
  places: [],
  untested: [],
};

/** What every answer tells of a server. */
export function aboutServer(answer: Pick<HttpAnswer, 'headers' | 'receivedAt'>): Omit<Access, 'credential' | 'why'> {
  return { ...nothingKnown, skewMs: skewOf(answer), server: serverOf(answer) };
}

/** Whether an answer says that the credential is not good for this. */
export function isDenied({ status }: Pick<HttpAnswer, 'status'>): boolean {
  return status === 401 || status === 403;
}

/** The access of a credential that was turned away; without one, that there should be one. */
export function deniedAccess(web: Web, answer: TextAnswer): Access {
  if (Object.keys(web.headers).length === 0)
    return {
      ...aboutServer(answer),
      credential: 'refused',
      why: `an upload needs a credential (it answered ${answer.status})`,
    };
  return { ...aboutServer(answer), credential: 'refused', why: refused(web, 'the credential', answer).why };
}
