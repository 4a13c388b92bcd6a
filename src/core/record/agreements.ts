import { parse, stringify } from 'yaml';
import { objectOf, objectsOf } from '../manifest/fields.ts';

/** That a person agreed to send what a reference leads to to an origin, in one workspace. */
export type Agreement = {
  /** Folder of the repository. */
  readonly workspace: string;
  readonly origin: string;
  /** As the configuration names the credential. */
  readonly reference: string;
};

/** The agreements of a trust file; what is not whole is left out. @throws the parser's own error for what is not YAML. */
export function parseAgreements(text: string): Agreement[] {
  return objectsOf(objectOf(parse(text, { maxAliasCount: 0 }))['agreed']).flatMap((entry) => {
    const { workspace, origin, reference } = entry;
    const isWhole = [workspace, origin, reference].every((field) => typeof field === 'string');
    return isWhole ? [{ workspace, origin, reference } as Agreement] : [];
  });
}

/** The text of a trust file. */
export function formatAgreements(agreed: readonly Agreement[]): string {
  return stringify({ schema: 1, agreed });
}
