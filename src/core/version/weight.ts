/** How much a change raises the version, weakest first. */
export const weights = ['none', 'patch', 'minor', 'major'] as const;

/** How much a change raises the version. */
export type Weight = (typeof weights)[number];

/** The heaviest of the weights; `none` of nothing. */
export function heaviest(list: Iterable<Weight>): Weight {
  let best = 0;
  for (const weight of list) best = Math.max(best, weights.indexOf(weight));
  return weights[best] ?? 'none';
}

/** Before 1.0.0 a breaking change raises minor and a feature patch (docs/design/versions.md, step 14). */
export function shiftBelowOne(weight: Weight): Weight {
  if (weight === 'major') return 'minor';
  return weight === 'minor' ? 'patch' : weight;
}

/** The weight held between two others. */
export function clampWeight(weight: Weight, least: Weight, most: Weight): Weight {
  const [at, low, high] = [weight, least, most].map((each) => weights.indexOf(each));
  return weights[Math.min(Math.max(at ?? 0, low ?? 0), high ?? 0)] ?? 'none';
}
