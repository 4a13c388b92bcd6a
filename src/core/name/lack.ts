/** What some servers lack, and the stand-in on request: object stores without conditional writes answer 501 to them. */
export const lacks = ['conditional-writes'] as const;

/** One of these. */
export type Lack = (typeof lacks)[number];
