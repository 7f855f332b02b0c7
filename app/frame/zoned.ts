import { DateTime } from "luxon";

/** Instants as people at the organisation read them. */
export const inZone = (instant: number, zone: string): DateTime => DateTime.fromMillis(instant, { zone }).setLocale("en-GB");

/** `Tue 24 Nov 12:20`. */
export const momentWords = (instant: number, zone: string): string => inZone(instant, zone).toFormat("ccc d LLL HH:mm");

/** `Tue 12:20`, with the date where it is further than three days from the reference. */
export const nearWords = (instant: number, zone: string, reference: number): string => inZone(instant, zone).toFormat(Math.abs(instant - reference) < 3 * 86_400_000 ? "ccc HH:mm" : "ccc d LLL HH:mm");

/** For a hover: zone, UTC and offset. */
export const fullWords = (instant: number, zone: string): string => `${inZone(instant, zone).toFormat("cccc d LLLL yyyy HH:mm:ss ZZZZ")} · ${new Date(instant).toISOString()}`;

/** What a local date and time field holds, as an instant; undefined where it holds none. */
export function fromZone(text: string, zone: string): number | undefined {
  const time = DateTime.fromISO(text, { zone });
  return time.isValid ? time.toMillis() : undefined;
}
