import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.sql.DriverManager;

/** Connects by every URL of standard input, and says "works", or why not. */
public class Connects {
    public static void main(String[] arguments) throws Exception {
        DriverManager.setLoginTimeout(10);
        var lines = new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
        for (String url = lines.readLine(); url != null; url = lines.readLine()) {
            try (var connection = DriverManager.getConnection(url)) {
                System.out.println("works");
            } catch (Exception refused) {
                System.out.println(String.valueOf(refused.getMessage()).replace('\n', ' '));
            }
        }
    }
}
