// Lets a client of Node fail, and prints what it says: fail.js CLIENT HOST PORT USER PASSWORD
// DATABASE. Ends with 0 if it did not fail.
const { createRequire } = require("module");
const own = createRequire(process.env.CHRONAXIS_JUDGES + "/");
const [client, host, port, user, password, database] = process.argv.slice(2);
const told = { host, port: Number(port), user, password, database };

const clients = {
  async pg() {
    const { Client } = own("pg");
    await new Client({ ...told, connectionTimeoutMillis: 4000 }).connect();
  },
  async postgres() {
    const sql = own("postgres")({ ...told, username: user, connect_timeout: 4, max: 1 });
    await sql`select 1`;
  },
  async mysql2() {
    await own("mysql2/promise").createConnection({ ...told, connectTimeout: 4000 });
  },
  async mariadb() {
    await own("mariadb").createConnection({ ...told, connectTimeout: 4000 });
  },
  async sequelize() {
    const { Sequelize } = own("sequelize");
    await new Sequelize(database, user, password, { host, port: Number(port), dialect: "postgres", logging: false }).authenticate();
  },
  async knex() {
    await own("knex")({ client: "pg", connection: told, acquireConnectionTimeout: 6000 }).raw("select 1");
  },
};

clients[client]().then(
  () => process.exit(0),
  (error) => {
    console.error(error);
    process.exit(1);
  },
);
