import type { StepKind } from "#core/runbook/runbook.ts";

/** Short words for the bars of a timeline. */
export const STEP_WORDS: Record<StepKind, string> = { detect: "detect", declare: "decide", "return-coordinator": "coordinator", prepare: "make", retrieve: "have read", "bring-back": "bring back", boot: "boot", "switch-names": "name", check: "check", tell: "tell" };
