# Connects as a small Ruby program would: connect.rb STACK, in the program's folder. Ends with
# 0 if it was let in, with 1 if not.
require "dotenv"
require "pg"
require "uri"
begin
  Dotenv.load(".env")
  if ENV["DATABASE_URL"]
    uri = URI::RFC2396_Parser.new.parse(ENV["DATABASE_URL"])
    exit 1 if uri.opaque || uri.host.nil?
    plain = ->(v) { v && URI::RFC2396_Parser.new.unescape(v) }
    PG.connect(host: uri.host, port: uri.port, user: plain[uri.user],
               password: plain[uri.password], dbname: plain[uri.path.delete_prefix("/")])
  else
    PG.connect(host: ENV["DB_HOST"], port: ENV["DB_PORT"], user: ENV["DB_USER"],
               password: ENV["DB_PASSWORD"], dbname: ENV["DB_NAME"])
  end
rescue Exception
  exit! 1
end
exit! 0
