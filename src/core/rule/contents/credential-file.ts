import { filesIn, insidePath } from '../../form/artifact.ts';
import { anyOf } from '../../text/any-of.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

const kinds: readonly { readonly pattern: RegExp; readonly what: string }[] = [
  {
    pattern: /(?:^|\/)\.env(?:\.(?!example$|sample$|template$|defaults?$|dist$|schema$)[\w.-]+)?$/,
    what: 'settings of an environment, often with secrets',
  },
  {
    pattern:
      /(?:^|\/)(?:\.pypirc|\.netrc|_netrc|\.git-credentials|\.dockercfg|\.htpasswd|\.pgpass|\.my\.cnf|\.s3cfg|\.boto|\.vault-token|settings-security\.xml|kubeconfig)$/,
    what: 'credentials of a client',
  },
  {
    pattern:
      /(?:^|\/)(?:\.aws\/credentials|\.docker\/config\.json|\.kube\/config|\.m2\/settings\.xml|\.ssh\/.+|\.gnupg\/.+)$/,
    what: 'credentials of a client',
  },
  {
    pattern: /(?:^|\/)(?:\.envrc|[^/]+\.tfstate(?:\.backup)?)$/,
    what: 'settings of an environment, often with secrets',
  },
  {
    pattern:
      /(?:^|\/)\.(?:(?:bash|zsh|sh|ash|ksh|fish|python|node_repl|psql|mysql|sqlite|irb|pry|php|rediscli|mongo|dbshell)_?history|histfile|lesshst|viminfo)$/,
    what: 'what was typed on a machine, often with secrets',
  },
  { pattern: /(?:^|\/)id_(?:rsa|dsa|ecdsa|ed25519)$/, what: 'a private key' },
  { pattern: /(?:^|\/)[^/]+\.(?:p12|pfx|jks|keystore|kdbx|ppk)$/i, what: 'a key store' },
];

/** Whether any of them can be meant. */
const any = anyOf(kinds.map(({ pattern }) => pattern));

export const credentialFile: Rule = {
  id: 'contents/credential-file',
  forms: allForms,
  severity: 'refuse',
  what: 'No files that usually contain credentials',
  why: 'Anyone who installs the package can read it and use its credentials',
  fix: 'Leave it out, and revoke its credentials; name examples differently, such as .env.example',
  example: '.env, .netrc, id_ed25519',
  check: (artifact) =>
    filesIn(artifact).flatMap(({ path, sizeBytes }): RawFinding[] => {
      const inside = insidePath(path, artifact.prefix);
      const found =
        sizeBytes === 0 || !any.test(inside) ? undefined : kinds.find(({ pattern }) => pattern.test(inside));
      if (found === undefined) return [];
      const isTest = /(?:^|\/)(?:tests?|__tests__|fixtures?|testdata|examples?)\//i.test(inside);
      return [{ path, message: `such files contain ${found.what}`, ...(isTest ? { severity: 'warn' as const } : {}) }];
    }),
};
