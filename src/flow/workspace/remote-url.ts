import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';

/**
 * The address of a repository as git takes it; a path is relative to the root of the workspace.
 * @throws CONFIG_INVALID for what git would take for an option, or for a command (git-remote-ext(1))
 */
export function remoteUrl(root: string, url: string): string {
  if (url.startsWith('-') || /^[A-Za-z][\w+.-]*::/.test(url) || /[\s\p{Cc}]/u.test(url)) throw notAnAddress(url);
  // `HOST:PATH` is an address too (git-clone(1), "GIT URLS").
  return /^[^/]+:/.test(url) ? url : path.resolve(root, url);
}

function notAnAddress(url: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `${url} is not the address of a repository`,
    why: 'expected an address or a path',
    fix: 'Correct `url` of the destination',
    where: { file: 'bevelstone.yaml' },
  });
}
