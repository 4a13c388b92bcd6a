import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { hiddenVariable } from '../../world/secret-vault.ts';
import type { Context } from '../context.ts';

/**
 * An address as it stands, or from the environment variable that it names, with a path behind. A value that is not a web address
 * or path is not repeated anywhere: the name of a variable comes from the configuration, and it may hold a secret.
 * @throws ENVIRONMENT_MISSING, CONFIG_INVALID
 */
export function resolveUrl({ env }: Pick<Context, 'env'>, name: string, url: string): string {
  if (!url.startsWith('env:')) return url;
  const [, variable = '', rest = ''] = /^env:([^/]*)(.*)$/s.exec(url) ?? [];
  const value = (env[variable] ?? hiddenVariable(variable))?.trim() ?? '';
  if (value === '') {
    throw new BevelstoneError('ENVIRONMENT_MISSING', {
      message: `no address for ${name}`,
      why: `the environment variable ${variable} from \`url\` is not set`,
      fix: `Set ${variable} for this command`,
    });
  }
  if (!isPlainAddress(value)) throw notAnAddress(name, variable);
  return rest === '' ? value : `${value.replace(/\/+$/, '')}${rest}`;
}

/** Whether a text is what it should be, a web address or a path, and nothing that looks like a secret. */
function isPlainAddress(value: string): boolean {
  if (/^\.{0,2}\//.test(value) || value === '.' || value === '..') return true;
  if (!/^https?:\/\//.test(value) || !URL.canParse(value)) return false;
  const { username, password, pathname, search, hash } = new URL(value);
  const looksRandom = pathname
    .split('/')
    .some((part) => part.length >= 20 && /\d/.test(part) && /[A-Za-z]/.test(part) && !/[.-]/.test(part));
  return username === '' && password === '' && search === '' && hash === '' && !looksRandom;
}

function notAnAddress(name: string, variable: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `the environment variable ${variable} does not contain an address for ${name}`,
    why: 'it must be an http or https address without user, password, query and anything that looks like a token, or a path that begins with / or .; its value is not shown, since it may be a secret',
    fix: `Set ${variable} to the address, or correct \`url\` of ${name}`,
    where: { file: 'bevelstone.yaml' },
  });
}
