/** A package as it is stored. */
export type StoredNuget = {
  readonly id: string;
  readonly owner: string;
  readonly versions: readonly {
    readonly version: string;
    readonly description: string;
    readonly authors: string;
    readonly published: string;
    readonly visibleFrom: string;
    readonly isListed: boolean;
    readonly sizeBytes: number;
    readonly sha256: string;
  }[];
};
