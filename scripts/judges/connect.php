<?php
// Connects as a small PHP program would: connect.php STACK, in the program's folder. Ends with
// 0 if it was let in, with 1 if not.
error_reporting(0);
$stack = $argv[1];
try {
    if (str_contains($stack, 'vlucas')) {
        require '/usr/share/php/Dotenv/autoload.php';
        Dotenv\Dotenv::createImmutable(getcwd())->load();
    } else {
        require '/usr/share/php/Symfony/Component/Dotenv/autoload.php';
        (new Symfony\Component\Dotenv\Dotenv())->load('.env');
    }
    $e = $_ENV;
    $user = $e['DB_USERNAME'] ?? null;
    $password = $e['DB_PASSWORD'] ?? null;
    [$host, $port, $name] = [$e['DB_HOST'] ?? null, $e['DB_PORT'] ?? null, $e['DB_DATABASE'] ?? null];
    if (isset($e['DATABASE_URL'])) {
        $url = parse_url($e['DATABASE_URL']);
        if ($url === false) {
            exit(1);
        }
        $url = array_map(fn ($v) => is_string($v) ? rawurldecode($v) : $v, $url);
        [$host, $port, $name] = [$url['host'] ?? null, $url['port'] ?? null, substr($url['path'] ?? '', 1)];
        [$user, $password] = [$url['user'] ?? null, $url['pass'] ?? null];
    }
    $engine = str_contains($stack, 'mysql') ? 'mysql' : 'pgsql';
    new PDO("$engine:host=$host;port=$port;dbname=$name", $user, $password);
} catch (\Throwable $error) {
    exit(1);
}
exit(0);
