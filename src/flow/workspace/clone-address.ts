import path from 'node:path';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';

/** The address of `origin` without a credential; null when it has none. The user of another protocol than HTTP is part of it. */
export async function cloneAddress({ place, root }: Repository): Promise<string | null> {
  const { text } = await git(place, ['config', '--get', 'remote.origin.url'], { allow: [1] });
  const address = text.trim();
  if (address === '') return null;
  if (!URL.canParse(address))
    return path.isAbsolute(address) || address.startsWith('.') ? path.resolve(root, address) : address;
  const url = new URL(address);
  url.password = '';
  if (/^https?:$/.test(url.protocol)) url.username = '';
  return url.href;
}
