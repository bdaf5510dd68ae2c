// Runs the glTF standard's own validator on a file; prints its findings and fails on any error or warning.
import { readFileSync } from 'node:fs';
import validator from 'gltf-validator';

const path = process.argv[2];
const report = await validator.validateBytes(new Uint8Array(readFileSync(path)), { maxIssues: 50 });
for (const message of report.issues.messages) console.log(`${message.code} ${message.pointer ?? ''}: ${message.message}`);
console.log(`${path}: ${report.issues.numErrors} errors, ${report.issues.numWarnings} warnings`);
process.exit(report.issues.numErrors + report.issues.numWarnings > 0 ? 1 : 0);
