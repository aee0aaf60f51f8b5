# Reads every connection string of a file (a JSON list) as Rails resolves one: a line of JSON
# a string, null where it is refused. urls.rb FILE
require "uri"
require "json"
Encoding.default_external = "UTF-8"
parser = URI::RFC2396_Parser.new
JSON.parse(File.read(ARGV[0])).each do |text|
  begin
    uri = parser.parse(text)
    raise URI::InvalidURIError if uri.opaque || uri.registry
    decoded = ->(v) { v && parser.unescape(v).force_encoding("UTF-8").scrub("\uFFFD") }
    out = {
      host: uri.host, port: uri.port&.to_s, user: decoded[uri.user],
      password: decoded[uri.password], database: decoded[uri.path&.delete_prefix("/")]
    }
    puts JSON.generate(out.reject { |_, v| v.nil? || v == "" })
  rescue URI::Error
    puts "null"
  end
end
