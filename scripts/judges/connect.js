// Connects as a small program for Node would: connect.js STACK, in the program's folder.
// Ends with 0 if it was let in, with 1 if not.
const stack = process.argv[2];
const env = process.env;
const number = (text) => (text ? Number(text) : undefined);
async function main() {
  if (stack.includes("dotenv")) {
    const loaded = require("dotenv").config({ quiet: true });
    if (stack.includes("expand")) require("dotenv-expand").expand(loaded);
  }
  const parts = {
    host: env.DB_HOST, port: number(env.DB_PORT), user: env.DB_USER,
    password: env.DB_PASSWORD, database: env.DB_NAME,
  };
  if (stack.endsWith("mysql2")) {
    const way = env.DATABASE_URL === undefined ? parts : env.DATABASE_URL;
    const line = await require("mysql2/promise").createConnection(way);
    await line.query("select 1");
    return line.end();
  }
  if (stack.endsWith("postgresjs")) {
    const sql = require("postgres")(env.DATABASE_URL, { max: 1, onnotice: () => {} });
    await sql`select 1`;
    return sql.end();
  }
  const { Client } = require("pg");
  const way = env.DATABASE_URL === undefined ? parts : { connectionString: env.DATABASE_URL };
  const line = new Client(way);
  await line.connect();
  await line.query("select 1");
  return line.end();
}
main().then(() => process.exit(0), () => process.exit(1));
