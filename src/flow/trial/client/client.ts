import type { TrialClient } from '../../../core/name/client.ts';
import type { Offer } from '../../../core/protocol/offer.ts';
import type { Credential } from '../../../world/credential.ts';
import type { FoundTool } from '../../../world/tool.ts';

/** An empty folder and an empty HOME in which something is installed. */
export type Stage = {
  readonly folder: string;
  readonly home: string;
  /** The whole environment: PATH, HOME and nothing of the maintainer's. */
  readonly env: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
};

/** A release that is to be installed from a destination, by its name. */
export type Wanted = {
  readonly offer: Offer;
  /** What reading needs there; `none` where it is open. */
  readonly credential: Credential;
  /** Where names come from that are not there; null for nowhere. */
  readonly upstream: string | null;
  /** Addresses that releases name and that another server stands in for. */
  readonly moved: readonly { readonly from: string; readonly to: string }[];
  /** The place that an index leads to for its files, where that is not the address of the offer; null for the same. */
  readonly files: { readonly url: string; readonly credential: Credential } | null;
};

/** What came of an install. */
export type Installed =
  | {
      readonly type: 'installed';
      /** What trial commands get beside the stage's environment. */
      readonly env: Readonly<Record<string, string>>;
      /** Where the files of a release lie now, by its artifacts; for comparing them with the record. */
      readonly trees: readonly InstalledTree[];
      /** False where files were only unpacked. */
      readonly isInstalled?: boolean;
    }
  | { readonly type: 'failed'; readonly why: string };

/** Files of an artifact after the install: a folder with its entries, or the file itself. */
export type InstalledTree =
  | {
      readonly type: 'folder';
      readonly artifact: string;
      readonly folder: string;
      /** What stands before the names of its entries; null for the one folder that they all lie in. */
      readonly prefix: string | null;
    }
  | { readonly type: 'file'; readonly artifact: string; readonly file: string };

/** A program of the ecosystem that installs by name. */
export type Client = {
  readonly name: TrialClient;
  /** Whether it installs by name, with all that a release needs; a client that only downloads takes files as they are. */
  readonly installsByName: boolean;
  /** How long an install of something small takes, more or less: those that take longest are begun first. */
  readonly usualSeconds: number;
  /** Whether it takes names that one place does not have from a second one (`upstream`). */
  readonly takesSecondPlace: boolean;
  /** Finds it, or the interpreter below it, in a version that begins like the one asked for. @returns null when it is not here. */
  readonly find: (
    version: string | null,
    env: Readonly<Record<string, string>>,
    signal: AbortSignal,
  ) => Promise<ClientTool | null>;
  readonly install: (tool: ClientTool, stage: Stage, wanted: readonly Wanted[]) => Promise<Installed>;
};

/** A client as it was found: the version that a table shows, and its programs. */
export type ClientTool = { readonly version: string; readonly program: FoundTool };
