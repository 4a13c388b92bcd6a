/** The ecosystems that a package can belong to. Each has a definition in `core/ecosystem`. */
export const ecosystems = ['node', 'python', 'jvm', 'dotnet', 'rust', 'go', 'native', 'plain'] as const;

/** One of the ecosystems. */
export type Ecosystem = (typeof ecosystems)[number];
