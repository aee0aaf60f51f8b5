import java.io.File;
import java.io.InputStreamReader;
import java.io.FileInputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.util.Arrays;
import java.util.Map;
import java.util.Properties;
import java.util.TreeMap;

/**
 * Reads with Java's own readers: every properties file of a folder, or every line of a file as
 * a URL of PostgreSQL's driver. A line of JSON each, null where it is refused.
 * Formats.java properties FOLDER; Formats.java pgjdbc FILE
 */
public class Formats {
    static String text(String value) {
        StringBuilder out = new StringBuilder("\"");
        for (char c : value.toCharArray()) {
            if (c < 32 || c == '"' || c == '\\' || c > 126) {
                out.append(String.format("\\u%04x", (int) c));
            } else {
                out.append(c);
            }
        }
        return out.append('"').toString();
    }

    static String json(Map<String, String> all) {
        StringBuilder out = new StringBuilder("{");
        for (Map.Entry<String, String> e : all.entrySet()) {
            out.append(out.length() > 1 ? "," : "");
            out.append(text(e.getKey())).append(':').append(text(e.getValue()));
        }
        return out.append('}').toString();
    }

    static Map<String, String> properties(File file) throws Exception {
        Properties p = new Properties();
        p.load(new InputStreamReader(new FileInputStream(file), StandardCharsets.UTF_8));
        Map<String, String> out = new TreeMap<>();
        p.forEach((k, v) -> out.put((String) k, (String) v));
        return out;
    }

    static Map<String, String> url(String url) throws Exception {
        Class<?> driver = Class.forName("org.postgresql.Driver");
        Properties p = (Properties) driver
            .getMethod("parseURL", String.class, Properties.class)
            .invoke(null, url, new Properties());
        if (p == null) {
            return null;
        }
        Map<String, String> out = new TreeMap<>();
        String[][] names = {
            {"PGHOST", "host"}, {"PGPORT", "port"}, {"PGDBNAME", "database"},
            {"user", "user"}, {"password", "password"}, {"sslmode", "sslmode"},
        };
        for (String[] name : names) {
            if (p.getProperty(name[0]) != null) {
                out.put(name[1], p.getProperty(name[0]));
            }
        }
        return out;
    }

    public static void main(String[] args) throws Exception {
        PrintStream out = new PrintStream(System.out, false, StandardCharsets.UTF_8);
        if (args[0].equals("properties")) {
            File[] files = new File(args[1]).listFiles();
            Arrays.sort(files);
            for (File file : files) {
                String answer;
                try {
                    answer = json(properties(file));
                } catch (IllegalArgumentException e) {
                    answer = "null";
                }
                out.println(answer);
            }
        } else {
            for (String line : Files.readAllLines(new File(args[1]).toPath())) {
                String answer;
                try {
                    Map<String, String> all = url(line);
                    answer = all == null ? "null" : json(all);
                } catch (Exception e) {
                    answer = "null";
                }
                out.println(answer);
            }
        }
        out.flush();
    }
}
