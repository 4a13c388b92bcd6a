/** A package as `init` looks at it. */
export type ProposalSearch = {
  readonly name: string;
  /** '' for the root. */
  readonly folder: string;
  readonly manifest: string;
  readonly manifestText: string;
  /** Paths in the repository. */
  readonly files: ReadonlySet<string>;
  /** Texts of the files that a proposal may ask for, by path in the repository. */
  readonly read: (file: string) => Promise<string | null>;
  /** Platform of this machine. */
  readonly platform: string;
};

/** What `init` writes for one package. */
export type Proposal = {
  /** Programs that the steps use. */
  readonly tools: readonly string[];
  /** Build steps, with why each is there. */
  readonly build: readonly { readonly run: string; readonly why: string }[];
  readonly platforms: readonly string[];
  /** Items of `artifacts`, as YAML in flow style or a mapping of several lines. */
  readonly artifacts: readonly string[];
  /** What a reader has to know: what is not supported, what was assumed. One sentence each. */
  readonly notes: readonly string[];
};

/** Proposes how packages of one ecosystem are built. */
export type Propose = (search: ProposalSearch) => Promise<Proposal>;

/** The forms alone. */
export function formsOnly(forms: readonly string[], notes: readonly string[] = []): Proposal {
  return { tools: [], build: [], platforms: [], artifacts: forms.map((form) => `form: ${form}`), notes };
}

/** Tells whether any file lies at or below a path of the package. */
export function hasInside({ folder, files }: ProposalSearch, path: string): boolean {
  const full = folder === '' ? path : `${folder}/${path}`;
  return files.has(full) || [...files].some((file) => file.startsWith(`${full}/`));
}
