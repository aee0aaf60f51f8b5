<?php
// Reads every file of a folder with a real reader: a line of JSON a file, in the order of
// their names; null where the reader gives the file up. environment.php READER FOLDER
require $argv[1] === 'php-dotenv'
    ? '/usr/share/php/Dotenv/autoload.php'
    : '/usr/share/php/Symfony/Component/Dotenv/autoload.php';
$names = array_values(array_filter(scandir($argv[2]), fn ($n) => $n[0] !== '.'));
foreach ($names as $name) {
    $text = file_get_contents($argv[2].'/'.$name);
    try {
        if ($argv[1] === 'php-dotenv') {
            $out = array_filter(Dotenv\Dotenv::parse($text), fn ($v) => $v !== null);
        } else {
            foreach (array_keys($_ENV) as $k) { unset($_ENV[$k]); }
            $out = (new Symfony\Component\Dotenv\Dotenv())->parse($text);
        }
        echo json_encode((object) $out, JSON_UNESCAPED_UNICODE), "\n";
    } catch (\Throwable $e) {
        echo "null\n";
    }
}
