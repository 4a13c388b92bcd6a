import { objectOf, textOf } from '../../core/manifest/fields.ts';
import { type Challenge, parseChallenge, tokenAllows } from '../../core/protocol/oci/oci.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { basic } from '../../store/authorization.ts';
import {
  call,
  isOwnOrigin,
  refused,
  type TextAnswer,
  untrustedOrigin,
  type Web,
  withoutBody,
} from '../../store/web.ts';
import type { Credential } from '../../world/credential.ts';
import { drain, type HttpAnswer, type HttpRequest, readText } from '../../world/http.ts';

/** Talks to a registry that asks for tokens: each scope's token is fetched once and kept for the run. */
export class OciSession {
  readonly web: Web;
  readonly #credential: Credential;
  readonly #secrets: Set<string>;
  readonly #headers = new Map<string, string>();

  /** @param secrets gets every token that the registry issues. */
  constructor(web: Web, credential: Credential, secrets: Set<string>) {
    [this.web, this.#credential, this.#secrets] = [web, credential, secrets];
  }

  /**
   * Sends a request about a repository; where the registry wants a token for it, fetches one and asks again.
   * @param body makes a fresh body for each try.
   */
  async call(
    repository: string,
    request: Omit<HttpRequest, 'body' | 'signal'>,
    body?: () => HttpRequest['body'],
  ): Promise<HttpAnswer> {
    // What this very request went with: another one may have fetched a token meanwhile.
    const before = this.#headers.get(repository);
    const answer = await this.#send(repository, request, body);
    if (answer.status !== 401) return answer;
    const challenge = parseChallenge(answer.headers['www-authenticate']);
    const header = challenge === null ? null : await this.#answerTo(challenge, repository);
    if (header === null || header === before) return answer;
    await drain(answer);
    this.#headers.set(repository, header);
    return this.#send(repository, request, body);
  }

  async callText(
    repository: string,
    request: Omit<HttpRequest, 'body' | 'signal'>,
    body?: () => HttpRequest['body'],
  ): Promise<TextAnswer> {
    const answer = await this.call(repository, request, body);
    return { ...withoutBody(answer), text: await readText(answer, request.url) };
  }

  /** Whether a repository's requests carry a header that the registry asked for. */
  isKnown(repository: string): boolean {
    return this.#headers.has(repository);
  }

  /** Whether the token of a repository allows an action, by its own claims; null where it does not say (`tokenAllows`). */
  allows(repository: string, action: string): boolean | null {
    return tokenAllows(this.#headers.get(repository)?.replace(/^Bearer /, '') ?? '', repository, action);
  }

  /** Makes sure that a long upload does not begin with a refusal: asks for the base first. */
  async open(repository: string, base: string): Promise<TextAnswer> {
    return this.callText(repository, { method: 'GET', url: `${base}v2/` });
  }

  async #send(
    repository: string,
    request: Omit<HttpRequest, 'body' | 'signal'>,
    body?: () => HttpRequest['body'],
  ): Promise<HttpAnswer> {
    const known = this.#headers.get(repository);
    const content = body?.();
    const headers: Readonly<Record<string, string>> = known === undefined ? {} : { authorization: known };
    return call({ ...this.web, headers }, { ...request, ...(content === undefined ? {} : { body: content }) });
  }

  /** The header that answers a challenge; null when there is none that we could give. */
  async #answerTo({ scheme, parameters }: Challenge, repository: string): Promise<string | null> {
    const own = this.#ownHeader();
    if (scheme === 'basic') return own;
    const realm = parameters['realm'] ?? '';
    if (scheme !== 'bearer' || !URL.canParse(realm)) return own;
    if (this.#credential.type === 'token') return own;
    const url = new URL(realm);
    if (parameters['service'] !== undefined) url.searchParams.set('service', parameters['service']);
    url.searchParams.set('scope', parameters['scope'] ?? `repository:${repository}:pull,push`);
    const headers: Readonly<Record<string, string>> = own === null ? {} : { authorization: own };
    // Whoever answers for the registry could name any host as the one that gives tokens.
    if (own !== null && !isOwnOrigin(this.web, url.href)) throw untrustedOrigin(this.web, url.href);
    const answer = await call({ ...this.web, headers }, { method: 'GET', url: url.href });
    const text = await readText(answer, url.href);
    if (answer.status !== 200) throw refused(this.web, 'a token', { ...answer, text });
    const value = objectOf(jsonOrNull(text));
    const token = textOf(value['token']) ?? textOf(value['access_token']);
    if (token === null) return null;
    this.#secrets.add(token);
    return `Bearer ${token}`;
  }

  #ownHeader(): string | null {
    const credential = this.#credential;
    if (credential.type === 'basic') return basic(credential.user, credential.password);
    return credential.type === 'token' ? `Bearer ${credential.secret}` : null;
  }
}
