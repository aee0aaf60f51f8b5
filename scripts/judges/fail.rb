# Lets a client of Ruby fail, and prints what it says: fail.rb CLIENT HOST PORT USER PASSWORD
# DATABASE. Ends with 0 if it did not fail.
client, host, port, user, password, database = ARGV
case client
when "pg"
  require "pg"
  PG.connect(host: host, port: port, user: user, password: password, dbname: database, connect_timeout: 4)
when "mysql2"
  require "mysql2"
  Mysql2::Client.new(host: host, port: port.to_i, username: user, password: password, database: database, connect_timeout: 4)
when "sequel"
  require "sequel"
  Sequel.connect(adapter: "postgres", host: host, port: port, user: user, password: password, database: database, connect_timeout: 4).test_connection
when "active_record"
  require "active_record"
  ActiveRecord::Base.establish_connection(adapter: "postgresql", host: host, port: port, username: user, password: password, database: database, connect_timeout: 4)
  ActiveRecord::Base.connection.execute("select 1")
end
