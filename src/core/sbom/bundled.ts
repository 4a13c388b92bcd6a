import { isBevelstoneError } from '../error/bevelstone-error.ts';
import type { Bill, BillPackage } from './bill.ts';
import { parseBill, readBill } from './formats.ts';

/** A bill that lies inside an artifact, such as those of PEP 770 ("The .dist-info/sboms directory"). */
export type InnerBill = { readonly artifact: string; readonly path: string; readonly text: string };

/**
 * The bill with what builds put into the artifacts: packages that bills inside the artifacts list. One that the bill has
 * already is there once; an inner bill that cannot be read is among what could not be determined.
 * @param root the package that contains them.
 */
export function withBundled(bill: Bill, root: string, inner: readonly InnerBill[]): Bill {
  const packages = new Map(bill.packages.map((one) => [one.id, one]));
  const ids = new Map(bill.packages.map((one) => [identityOf(one), one.id]));
  const contained = new Set<string>();
  const unknown: string[] = [];
  for (const { artifact, path, text } of inner) {
    const found = packagesIn(text, path);
    if (found === null)
      unknown.push(`${path} in ${artifact} is no bill that is read, so what it lists is missing here`);
    for (const one of found ?? []) {
      const id = ids.get(identityOf(one)) ?? freeId(one, packages);
      ids.set(identityOf(one), id);
      const before = packages.get(id) ?? { ...one, id, role: 'dependency', files: null, foundIn: [] };
      packages.set(id, { ...before, foundIn: [...new Set([...before.foundIn, `${artifact}/${path}`])] });
      if (id !== root) contained.add(id);
    }
  }
  return {
    ...bill,
    packages: [...packages.values()],
    relations: [...bill.relations, ...[...contained].map((to) => ({ from: root, to, type: 'contains' as const }))],
    unknown: [...bill.unknown, ...unknown],
  };
}

function packagesIn(text: string, path: string): BillPackage[] | null {
  try {
    const bill = readBill(parseBill(text, path));
    return bill.packages.filter(({ id, role }) => role === 'dependency' && !bill.subjects.includes(id));
  } catch (error) {
    if (isBevelstoneError(error, 'BILL_UNREADABLE')) return null;
    throw error;
  }
}

function identityOf({ role, purl, name, version }: BillPackage): string {
  return purl ?? `${role} ${name} ${version ?? ''}`;
}

function freeId({ name, version }: BillPackage, taken: ReadonlyMap<string, BillPackage>): string {
  const plain = `bundled-${name}-${version ?? ''}`.replace(/[^A-Za-z0-9.]+/g, '-').replace(/-+$/, '');
  let id = plain;
  for (let count = 2; taken.has(id); count++) id = `${plain}-${count}`;
  return id;
}
