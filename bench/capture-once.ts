import { mkdir } from "node:fs/promises";
import { capture } from "#engine/capture.ts";
import { unpaced } from "#engine/slices.ts";
import { TreeSource } from "#engine/sources/tree-source.ts";
import { FolderStore } from "#engine/stores/folder-store.ts";
import { Vault } from "#engine/vault.ts";

const [, , image, store] = process.argv as [string, string, string, string];
await mkdir(store, { recursive: true });
const vault = await Vault.create(new FolderStore("bench", store));
const began = process.hrtime.bigint();
await capture(vault, await TreeSource.at(image), { name: "image", capturedAt: Date.now() }, unpaced());
const seconds = Number(process.hrtime.bigint() - began) / 1e9;
console.log(JSON.stringify({ seconds, peakMib: process.resourceUsage().maxRSS / 1024 }));
