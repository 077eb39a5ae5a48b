// What tsc does not see. The rules are few: each has caught something.
export default [
  { ignores: ["internal/web/static/vendor/**"] },
  {
    files: ["internal/web/static/js/*.js", "internal/web/static/js/lit/*.js", "e2e/*.mjs", "web/*.mjs"],
    linterOptions: { reportUnusedDisableDirectives: "error" },
    rules: {
      "no-unused-vars": ["error", { argsIgnorePattern: "^_", ignoreRestSiblings: true }],
      "no-var": "error",
      "prefer-const": "error",
      "no-dupe-keys": "error",
      "no-dupe-else-if": "error",
      "no-unreachable": "error",
      "no-self-assign": "error",
      "no-self-compare": "error",
      "no-constant-condition": ["error", { checkLoops: false }],
      "no-unsafe-finally": "error",
      "no-async-promise-executor": "error",
      "require-yield": "error",
      "valid-typeof": "error",
      "use-isnan": "error",
      "no-fallthrough": "error",
      "no-eval": "error",
      "no-implied-eval": "error",
      "no-restricted-globals": ["error", "event"],
    },
  },
  { files: ["internal/web/static/js/*.js", "internal/web/static/js/lit/*.js"], rules: { "max-lines": ["error", 300] } },
];
