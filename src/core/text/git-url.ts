/** The address of a repository for clients, which take no path and no `HOST:PATH` (git-clone(1), "GIT URLS"). */
export function gitUrl(address: string): string {
  const [, host, path] = /^((?:[^/:@]+@)?[^/:@]+):(?!\/\/)(.+)$/.exec(address) ?? [];
  if (host !== undefined) return `ssh://${host}/${path}`;
  return address.startsWith('/') ? `file://${address}` : address;
}
