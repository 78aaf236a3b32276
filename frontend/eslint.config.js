import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

const viewsAreSeparate = {
  "no-restricted-imports": [
    "error",
    { patterns: [{ group: ["@/views/*", "../../views/*"], message: "A view never imports another view." }] },
  ],
};

export default tseslint.config(
  { ignores: ["src/api/schema.ts", "eslint.config.js"] },
  ...tseslint.configs.strictTypeChecked,
  a11y.flatConfigs.recommended,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
    },
  },
  { files: ["src/views/**"], rules: viewsAreSeparate },
);
