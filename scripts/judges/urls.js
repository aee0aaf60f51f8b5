// Reads every connection string of a file (a JSON list) with a real reader: a line of JSON a
// string, null where the reader refuses it. urls.js READER FILE MODULES
const fs = require("fs");
const path = require("path");
const [reader, file, modules] = process.argv.slice(2);
process.emitWarning = () => {};
for (const name of Object.keys(process.env)) if (name.startsWith("PG")) delete process.env[name];
const readers = {
  "node-postgres": (text) => {
    const got = require(path.join(modules, "pg-connection-string")).parse(text);
    return [got.host, got.port, got.user, got.password, got.database];
  },
  "postgres-js": (text) => {
    const got = require(path.join(modules, "postgres"))(text).options;
    return [got.host.join(","), got.port.join(","), got.user, got.pass, got.database];
  },
  "node-mysql2": (text) => {
    const config = require(path.join(modules, "mysql2/lib/connection_config.js"));
    const got = config.parseUrl(text);
    return [got.host, Number.isNaN(got.port) ? null : got.port, got.user, got.password, got.database];
  },
};
const lines = [];
const names = ["host", "port", "user", "password", "database"];
for (const text of JSON.parse(fs.readFileSync(file, "utf8"))) {
  let out = null;
  try {
    const got = readers[reader](text);
    out = {};
    names.forEach((name, at) => {
      if (got[at] !== null && got[at] !== undefined && got[at] !== "") out[name] = String(got[at]);
    });
  } catch (error) {
    out = null;
  }
  lines.push(JSON.stringify(out) + "\n");
}
// A pipe takes it in pieces: the end waits for the last one.
process.stdout.write(lines.join(""), () => process.exit(0));
