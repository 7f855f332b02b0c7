import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { readdirSync } from "node:fs";
import { delimiter, join } from "node:path";

const onPath = (program: string): boolean => (process.env["PATH"] ?? "").split(delimiter).some((folder) => existsSync(join(folder, program)));

/** Folder of Debian's newest PostgreSQL server, or undefined. */
export function postgresPrograms(): string | undefined {
  const root = "/usr/lib/postgresql";
  if (!existsSync(root)) return undefined;
  const versions = readdirSync(root).filter((v) => existsSync(join(root, v, "bin/initdb")));
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  return newest && join(root, newest, "bin");
}

export const NEEDS = {
  postgres: { package: "postgresql", present: () => postgresPrograms() !== undefined },
  // The browser without its own windows: the same engine, and a third less work.
  chromium: { package: "chromium-headless-shell", present: () => onPath("chromium-headless-shell") },
  skopeo: { package: "skopeo", present: () => onPath("skopeo") },
  s3cmd: { package: "s3cmd", present: () => onPath("s3cmd") },
} as const;

/** Installs Debian packages that are missing when root; otherwise says in one line what to install and ends. */
export function ensureInstalled(...needs: (keyof typeof NEEDS)[]): void {
  const missing = needs.filter((need) => !NEEDS[need].present()).map((need) => NEEDS[need].package);
  if (missing.length === 0) return;
  if (process.getuid?.() !== 0) {
    console.error(`Please install these packages first: apt-get install ${missing.join(" ")}`);
    process.exit(1);
  }
  console.log(`Installing ${missing.join(", ")} from Debian's packages ...`);
  const env = { ...process.env, DEBIAN_FRONTEND: "noninteractive" };
  execFileSync("apt-get", ["update", "-qq"], { env, stdio: ["ignore", "ignore", "inherit"] });
  execFileSync("apt-get", ["install", "-y", "-qq", "--no-install-recommends", ...missing], { env, stdio: ["ignore", "ignore", "inherit"] });
}
