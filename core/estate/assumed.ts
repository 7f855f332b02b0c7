import type { Host, Machine } from "./model.ts";

const GIB = 2 ** 30;
const MIB = 2 ** 20;

/** What is assumed of a new machine of which nothing better is known; always told beside what is taken in. */
export const ASSUMED_MACHINE: Pick<Machine, "change" | "reduction" | "prepare" | "boot"> = { change: { hot: GIB, written: 256 * MIB, grown: 16 * MIB }, reduction: 0.6, prepare: 30, boot: 120 };

/** Of a host that a platform lists: how fast its disks take data and how many machines it starts side by side. */
export const ASSUMED_HOST: Pick<Host, "poolRate" | "starts"> = { poolRate: 300 * MIB, starts: 2 };
