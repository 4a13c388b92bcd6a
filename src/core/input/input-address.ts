import type { InputConfig } from '../config/config.ts';

/** An address with the version of the input in it. */
export function inputAddress(address: string, version: string | null): string {
  return version === null ? address : address.replaceAll('{version}', version);
}

/** Addresses of an input that everyone has: neither paths of one machine nor what a variable says. */
export function publicAddresses({ from, version }: Pick<InputConfig, 'from' | 'version'>): string[] {
  return from.filter((address) => /^https?:\/\//.test(address)).map((address) => inputAddress(address, version));
}

/** The name that the file has where it comes from. */
export function inputFileName({ from, version, name }: Pick<InputConfig, 'from' | 'version' | 'name'>): string {
  const address = inputAddress(from[0] ?? '', version).replace(/[?#].*$/s, '');
  const last = address.slice(address.lastIndexOf('/') + 1).replace(/[^\w.+-]+/g, '-');
  return /^\.*$/.test(last) ? name : last;
}
