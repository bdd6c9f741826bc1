import tseslint from "typescript-eslint";

export default tseslint.config(
  ...tseslint.configs.strict,
  { files: ["src/**/*.ts"], rules: { "@typescript-eslint/no-non-null-assertion": "off", eqeqeq: "error" } },
);
