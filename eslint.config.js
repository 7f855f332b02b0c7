import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["node_modules", "build", "data", ".react-router", "**/*.cjs"] },
  {
    files: ["**/*.ts", "**/*.tsx"],
    extends: [tseslint.configs.base],
    languageOptions: { parserOptions: { project: "./tsconfig.json", tsconfigRootDir: import.meta.dirname } },
    linterOptions: { reportUnusedDisableDirectives: true },
    rules: {
      "@typescript-eslint/no-floating-promises": "error",
      // Promises taken for conditions are found by the compiler (strict).
      "@typescript-eslint/await-thenable": "error",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "@typescript-eslint/no-explicit-any": "error",
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/consistent-type-imports": "error",
      "@typescript-eslint/switch-exhaustiveness-check": ["error", { considerDefaultExhaustiveForUnions: true }],
      eqeqeq: "error",
      "no-console": ["error", { allow: ["error", "warn"] }],
    },
  },
  { files: ["e2e/**", "cli/**", "scripts/**", "bench/**", "demo/**"], rules: { "no-console": "off" } },
);
