import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  js.configs.recommended,
  ...tseslint.configs.recommendedTypeChecked,
  hooks.configs.flat["recommended-latest"],
  {
    files: ["**/*.{ts,tsx}"],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: false }],
      "no-restricted-syntax": [
        "error",
        {
          selector: "JSXAttribute[name.name='type'] > Literal[value=/^(date|datetime-local)$/]",
          message: "Days and moments are typed in a DayInput, which knows their bounds.",
        },
        {
          selector: "CallExpression[callee.property.name='invalidateQueries']",
          message: "askAgain asks first answers again too.",
        },
      ],
    },
  },
  { files: ["eslint.config.js"], ...tseslint.configs.disableTypeChecked },
);
