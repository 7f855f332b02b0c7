/** Imports go downward only: app, cli → server → engine, standins → formats → core. */
const floor = (name, from, mayNotReach) => ({
  name,
  severity: "error",
  from: { path: `^${from}/` },
  to: { path: `^(${mayNotReach.join("|")})/` },
});
module.exports = {
  forbidden: [
    { name: "no-circular", severity: "error", from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ["type-only"] } } },
    floor("core-knows-nothing-above", "core", ["formats", "engine", "standins", "server", "app", "cli"]),
    // Packages that compute and do nothing else may be used there.
    { name: "core-is-pure", severity: "error", from: { path: "^core/", pathNot: "[.]test[.]ts$" }, to: { dependencyTypes: ["core", "npm"], pathNot: "node_modules/(geographiclib-geodesic|fast-deep-equal)/" } },
    floor("formats-above-core-only", "formats", ["engine", "standins", "server", "app", "cli"]),
    floor("engine-without-database", "engine", ["standins", "server", "app", "cli"]),
    { name: "engine-never-imports-the-database", severity: "error", from: { path: "^engine/" }, to: { path: "node_modules/(pg|drizzle-orm)/" } },
    floor("standins-beside-the-server", "standins", ["server", "app", "cli"]),
    floor("server-below-pages", "server", ["app", "cli"]),
    { name: "server-meets-standins-by-contract", severity: "error", from: { path: "^server/", pathNot: "[.]test[.]ts$" }, to: { path: "^standins/", pathNot: "^standins/world/protocol[.]ts$" } },
    floor("pages-never-reach-the-world", "app", ["standins", "cli"]),
    floor("command-line-without-server", "cli", ["server", "app", "standins"]),
  ],
  options: {
    parser: "tsc",
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.json" },
    doNotFollow: { path: "node_modules" },
    exclude: { path: "^(build|data|\\.react-router)/" },
    enhancedResolveOptions: { exportsFields: ["exports"], conditionNames: ["import", "node", "default"], extensions: [".ts", ".tsx", ".js", ".mjs", ".cjs", ".json"] },
  },
};
