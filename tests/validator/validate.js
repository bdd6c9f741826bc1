// Validates glTF files; prints each error and warning, and exits with 1 when there was one.
const { readFileSync } = require('fs');
const validator = require('gltf-validator');

async function main() {
  let bad = 0;
  for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(readFileSync(file)), { maxIssues: 20 });
    for (const message of report.issues.messages) {
      if (message.severity <= 1) console.log(`${file}: ${message.code} at ${message.pointer}: ${message.message}`);
    }
    bad += report.issues.numErrors + report.issues.numWarnings;
  }
  process.exit(bad === 0 ? 0 : 1);
}
main();
