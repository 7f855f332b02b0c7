import { accessSync, constants, existsSync, mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, join } from "node:path";
import { pathToFileURL } from "node:url";

/** What stays where it is: what is not JavaScript, and what the built pages share with the server. */
const NOT_BUNDLED = ["@node-rs/argon2", "pg-native", "esbuild", "react", "react-dom", "react-router", "@react-router/*"];
/** What else decides how a program turns out: which packages there are, what `#core/` means, and this. */
const DECIDING = ["package.json", "package-lock.json", "scripts/programs.mjs"];
/** Packages of the older module system ask for Node's own modules by `require`. */
const BANNER = 'import { createRequire as requireOf } from "node:module"; const require = requireOf(import.meta.url);';

/**
 * Gives the path of a TypeScript program as one file that Node runs, made anew if any of its sources
 * is another than it was: a program of hundreds of modules starts in a third of the time.
 * @param {string} source from the root, as in `server/main.ts`
 * @param {string} [root] the project's folder
 * @returns {Promise<string>}
 */
export async function programOf(source, root = process.cwd()) {
  const name = `${source.replace(/\.ts$/, "").replaceAll("/", "-")}.mjs`;
  const folder = join(root, "node_modules/.cache/programs");
  const file = join(folder, name);
  if (isFresh(`${file}.sources`, root)) return file;
  const { build } = await import("esbuild");
  const { outputFiles, metafile } = await build({
    absWorkingDir: root,
    entryPoints: [source],
    outfile: file,
    bundle: true,
    write: false,
    metafile: true,
    platform: "node",
    format: "esm",
    target: "node20",
    sourcemap: "linked",
    sourcesContent: false,
    external: NOT_BUNDLED,
    banner: { js: BANNER },
    logLevel: "silent",
  });
  const sources = Object.fromEntries([...DECIDING.filter((path) => existsSync(join(root, path))), ...Object.keys(metafile.inputs).filter((path) => !path.includes("node_modules/"))].map((path) => [path, changedAt(join(root, path))]));
  const written = [...outputFiles.map(({ path, contents }) => ({ name: basename(path), contents })), { name: `${name}.sources`, contents: JSON.stringify(sources) }];
  const into = writableFolder(folder);
  for (const { name: each, contents } of written) {
    // Whoever starts meanwhile finds the old file or the new one, never half of it.
    const unfinished = join(into, `.${each}.${process.pid}`);
    writeFileSync(unfinished, contents);
    renameSync(unfinished, join(into, each));
  }
  return join(into, name);
}

/**
 * Runs a program in this process.
 * @param {string} source
 * @param {string} [root]
 * @returns {Promise<Record<string, any>>} what it exports
 */
export const runProgram = async (source, root) => import(pathToFileURL(await programOf(source, root)).href);

/** @param {string} path */
const changedAt = (path) => statSync(path).mtimeMs;

/**
 * @param {string} list
 * @param {string} root
 */
function isFresh(list, root) {
  try {
    return Object.entries(JSON.parse(readFileSync(list, "utf8"))).every(([path, at]) => changedAt(join(root, path)) === at);
  } catch {
    return false;
  }
}

/**
 * Who may not write beside the sources bundles for this one time.
 * @param {string} folder
 */
function writableFolder(folder) {
  try {
    mkdirSync(folder, { recursive: true });
    accessSync(folder, constants.W_OK);
    return folder;
  } catch {
    const passing = mkdtempSync(join(tmpdir(), "ypostasis-"));
    process.on("exit", () => rmSync(passing, { recursive: true, force: true }));
    return passing;
  }
}
