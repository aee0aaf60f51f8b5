import java.sql.DriverManager;
import java.util.Properties;

/** Lets a JDBC driver fail, and prints what it says: Fails URL USER PASSWORD. */
final class Fails {
    private Fails() {}

    public static void main(String[] args) {
        var properties = new Properties();
        properties.setProperty("user", args[1]);
        properties.setProperty("password", args[2]);
        DriverManager.setLoginTimeout(6);
        try (var connection = DriverManager.getConnection(args[0], properties)) {
            System.exit(0);
        } catch (Exception failed) {
            failed.printStackTrace();
            System.exit(1);
        }
    }
}
