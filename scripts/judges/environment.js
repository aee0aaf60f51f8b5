// Reads every file of a folder with a real reader: a line of JSON a file, in the order of
// their names. environment.js READER FOLDER MODULES
const fs = require("fs");
const path = require("path");
const [reader, folder, modules] = process.argv.slice(2);
const dotenv = require(path.join(modules, "dotenv"));
const expand = require(path.join(modules, "dotenv-expand"));
for (const name of fs.readdirSync(folder).sort()) {
  const text = fs.readFileSync(path.join(folder, name), "utf8");
  if (reader === "node-env-file") {
    console.log(JSON.stringify(require("util").parseEnv(text)));
    continue;
  }
  let parsed = dotenv.parse(text);
  if (reader === "dotenv-expand") {
    parsed = expand.expand({ parsed, processEnv: {} }).parsed;
  }
  console.log(JSON.stringify(parsed));
}
