// Lints the script of the report as it stands in a report: its files share one scope. See tools/lint_script.sh.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    files: ["**/*.js"],
    languageOptions: { ecmaVersion: 2022, sourceType: "script", globals: globals.browser },
    linterOptions: { reportUnusedDisableDirectives: "error" },
    rules: {
      eqeqeq: "error",
      "no-var": "error",
      "prefer-const": "error",
      "no-shadow": ["error", { builtinGlobals: false }],
      "no-implicit-globals": "error",
      "no-eval": "error",
      "no-implied-eval": "error",
      "max-depth": ["error", 4],
      complexity: ["error", 30],
      "max-len": ["error", { code: 125, ignoreStrings: true, ignoreTemplateLiterals: true, ignoreRegExpLiterals: true }],
    },
  },
];
