// Checks and bundles the page, and writes it as a C++ source that carries it: node build.mjs FOLDER
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const out = process.argv[2];
execFileSync(process.execPath, ["node_modules/typescript/bin/tsc", "--strict", "--noEmit"], { stdio: "inherit" });
await build({
  entryPoints: ["src/main.ts"],
  bundle: true,
  minify: true,
  format: "esm",
  target: ["chrome110", "firefox115"],
  charset: "ascii",
  outfile: join(out, "stage.js"),
  logLevel: "warning",
  legalComments: "none",
});
const script = readFileSync(join(out, "stage.js"), "latin1");
// In a saved page the script stands inside the page's text, where this would end it.
if (/<\/script|<!--/i.test(script)) { throw new Error("the bundle holds what would end a script"); }

const parts = [
  ["index.html", "text/html; charset=utf-8", readFileSync("index.html")],
  ["stage.css", "text/css; charset=utf-8", readFileSync("stage.css")],
  ["stage.js", "text/javascript; charset=utf-8", readFileSync(join(out, "stage.js"))],
];
const source = ['#include "page.hpp"', "", "#include <array>", "", "namespace gait::stage {", "namespace {", ""];
parts.forEach(([, , bytes], index) => {
  source.push(`constexpr unsigned char part_${index}[] = {`);
  for (let i = 0; i < bytes.length; i += 64) { source.push(`${[...bytes.subarray(i, i + 64)].join(",")},`); }
  source.push("0};", "");
});
source.push("} // namespace", "", "const PagePart* page_part(std::string_view name) {");
source.push(`    static const std::array<PagePart, ${parts.length}> parts{{`);
parts.forEach(([name, type, bytes], index) => {
  source.push(`        {"${name}", "${type}", {reinterpret_cast<const char*>(part_${index}), ${bytes.length}}},`);
});
source.push("    }};", "    for (const PagePart& part : parts) {", "        if (part.name == name) { return &part; }", "    }");
source.push("    return nullptr;", "}", "", "} // namespace gait::stage", "");
writeFileSync(join(out, "page_files.cpp"), source.join("\n"));
