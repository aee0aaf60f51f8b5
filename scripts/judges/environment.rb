# Reads every file of a folder with Ruby's dotenv: a line of JSON a file, in the order of
# their names; null where it gives the file up. environment.rb READER FOLDER
require "dotenv"
require "json"
Encoding.default_external = "UTF-8"
ENV.clear
Dir.children(ARGV[1]).sort.each do |name|
  begin
    puts JSON.generate(Dotenv::Environment.new(File.join(ARGV[1], name), true).to_h)
  rescue SyntaxError
    puts "null"
  end
end
