/** Names in the folder of a deployment that are its own. */
const ownNames = ['current', 'versions', '.bevelstone'] as const;

/** Why a path cannot be mapped; null when it can. @param folder of the deployment, absolute. */
export function refuseMapped(to: string, folder: string): string | null {
  if (to === folder) return 'it is the folder of the deployment itself';
  if (folder.startsWith(`${to}/`)) return 'the folder of the deployment lies inside it';
  const inside = to.startsWith(`${folder}/`) ? to.slice(folder.length + 1).split('/')[0] : undefined;
  return ownNames.some((name) => name === inside) ? `${inside}/ belongs to Bevelstone there` : null;
}
