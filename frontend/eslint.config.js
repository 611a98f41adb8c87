import js from "@eslint/js";
import query from "@tanstack/eslint-plugin-query";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "src/api/schema.ts"] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...query.configs["flat/recommended"],
  a11y.flatConfigs.recommended,
  hooks.configs.flat.recommended,
  {
    files: ["src/**/*.worklet.js"],
    languageOptions: {
      globals: { AudioWorkletProcessor: "readonly", registerProcessor: "readonly", currentFrame: "readonly" },
    },
  },
  {
    rules: {
      "max-lines": ["error", 420],
      "@typescript-eslint/no-non-null-assertion": "error",
      // A field that a press has just opened takes the focus: whoever pressed goes on typing.
      "jsx-a11y/no-autofocus": "off",
      "jsx-a11y/label-has-associated-control": ["error", { depth: 4, controlComponents: ["NumberInput"] }],
    },
  },
  {
    // Refusals and dead connections are told alike everywhere: by api/client.ts and api/bytes.ts.
    files: ["src/**/*.{ts,tsx}"],
    ignores: ["src/api/**", "src/**/*.test.{ts,tsx}"],
    rules: { "no-restricted-globals": ["error", { name: "fetch", message: "Use api/client or api/bytes." }] },
  },
  {
    // A stand-in for an asynchronous function waits for nothing; a screen made for a test may break the rules it checks.
    files: ["src/**/*.test.{ts,tsx}"],
    rules: { "jsx-a11y/no-noninteractive-tabindex": "off" },
  },
);
