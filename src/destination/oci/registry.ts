import type { Web } from '../../store/web.ts';
import type { OciSession } from './oci-session.ts';

/** What is known of a registry. */
export type Registry = {
  readonly web: Web;
  readonly session: OciSession;
  /** Address of its host, with `/` behind. */
  readonly base: string;
  /** Path below which the repositories of the workspace lie. */
  readonly pathname: string;
  readonly isAnonymous: boolean;
  /** Where this run has put a blob already: other repositories can take it from there. */
  readonly placed: Map<string, string>;
};

/** One of its repositories. */
export type Repository = Registry & { readonly repository: string };
