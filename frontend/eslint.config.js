import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "src/api/schema.ts"] },
  js.configs.recommended,
  ...ts.configs.strict,
  hooks.configs.flat.recommended,
  {
    files: ["src/**/*.worklet.js"],
    languageOptions: { globals: { AudioWorkletProcessor: "readonly", registerProcessor: "readonly", currentFrame: "readonly" } },
  },
  { rules: { "max-lines": ["error", 420], "@typescript-eslint/no-non-null-assertion": "error" } },
);
