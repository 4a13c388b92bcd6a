import { some } from '../../core/text/some.ts';
import { fillOutsideFiles } from '../../world/git/outside-files.ts';
import { type Checkout, checkOut, copyWorkingFolder, emptyOut } from '../../world/git/worktree.ts';
import { Rewrites } from '../../world/rewrites.ts';
import { type Context, warn } from '../context.ts';
import type { Survey } from '../survey/survey.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { Package } from '../workspace/workspace.ts';

/** A package's checkout. */
export type HeldCheckout = {
  readonly checkout: Checkout;
  /** What this program wrote into it. */
  readonly rewrites: Rewrites;
  /** Whether all that is in it came from git itself. */
  readonly isPlain: boolean;
};

/**
 * The checkouts of a build: one for every package that is at work. One in which nothing but this program wrote is put back as
 * it was for the next package; after build steps, patches and inputs it is removed. In a workspace of a thousand packages a new
 * checkout for each would write a million files.
 */
export class Checkouts {
  readonly #context: Context;
  readonly #survey: Survey;
  readonly #warned: Set<string>;
  readonly #name: string;
  readonly #isUncommitted: boolean;
  readonly #idle: HeldCheckout[] = [];

  /** @param name part of the folders' names, so that two builds have paths of different length. */
  constructor({
    context,
    survey,
    warned,
    name,
    isUncommitted,
  }: {
    readonly context: Context;
    readonly survey: Survey;
    /** Warnings that were given already. */
    readonly warned: Set<string>;
    readonly name: string;
    readonly isUncommitted: boolean;
  }) {
    [this.#context, this.#survey, this.#warned] = [context, survey, warned];
    [this.#name, this.#isUncommitted] = [name, isUncommitted];
  }

  /** A checkout of the commit that nothing was done in. */
  async take(): Promise<HeldCheckout> {
    return this.#idle.pop() ?? (await this.#make());
  }

  /** @param isDone whether the package's work came to its end. */
  async giveBack(held: HeldCheckout, { config }: Package, isDone: boolean): Promise<void> {
    const { checkout, rewrites, isPlain } = held;
    const isOurs = config.build.length === 0 && config.patches.length === 0 && config.inputs.length === 0;
    if (!isPlain || !isDone || !isOurs) return checkout.remove();
    try {
      await rewrites.undo();
      await emptyOut(checkout);
      this.#idle.push(held);
    } catch {
      // The package is built; the next one gets a new checkout, and hears of what is wrong with the disk.
      await checkout.remove();
    }
  }

  /** Removes those that are left. */
  async end(): Promise<void> {
    for (const { checkout } of this.#idle.splice(0)) await checkout.remove();
  }

  async #make(): Promise<HeldCheckout> {
    const rewrites = new Rewrites();
    const { repository, config } = this.#survey.workspace;
    const { commit } = this.#survey;
    if (this.#isUncommitted)
      return { checkout: await copyWorkingFolder(repository, this.#name), rewrites, isPlain: false };
    // Filters that .gitattributes names may run while git checks out.
    const place = { ...repository.place, env: withoutCredentials(this.#context.env, config) };
    const checkout = await checkOut({ ...repository, place }, commit, this.#name);
    try {
      const { submodules, largeFiles, filters, isAny } = await fillOutsideFiles(repository, commit, checkout.folder);
      if (filters.length > 0)
        this.#once(`filters that .gitattributes names had a say in the checkout: ${filters.join(', ')}`);
      if (submodules.length > 0)
        this.#once(
          `submodules that this machine has not fetched are missing: ${some(submodules)}; fetch with git submodule update --init`,
        );
      if (largeFiles.length > 0)
        this.#once(`large files that this machine has not fetched are pointers still: ${some(largeFiles)}`);
      return { checkout, rewrites, isPlain: !isAny };
    } catch (error) {
      await checkout.remove();
      throw error;
    }
  }

  /** The same files are missing in every checkout. */
  #once(text: string): void {
    if (!this.#warned.has(text)) warn(this.#context, text);
    this.#warned.add(text);
  }
}
