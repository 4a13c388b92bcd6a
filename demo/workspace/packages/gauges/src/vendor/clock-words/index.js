// SPDX-License-Identifier: ISC
/** A moment to the minute, such as 2026-03-01 06:00 UTC. */
export const toTheMinute = (date) => `${date.toISOString().slice(0, 16).replace('T', ' ')} UTC`;
