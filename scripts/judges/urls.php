<?php
// Reads every connection string of a file (a JSON list) with parse_url, its parts decoded: a
// line of JSON a string, null where it is given up. urls.php FILE
foreach (json_decode(file_get_contents($argv[1])) as $text) {
    $got = parse_url($text);
    if ($got === false || !isset($got['scheme']) || !isset($got['host'])) {
        echo "null\n";
        continue;
    }
    $out = [
        'host' => $got['host'] ?? null,
        'port' => isset($got['port']) ? (string) $got['port'] : null,
        'user' => isset($got['user']) ? rawurldecode($got['user']) : null,
        'password' => isset($got['pass']) ? rawurldecode($got['pass']) : null,
        'database' => isset($got['path']) ? rawurldecode(substr($got['path'], 1)) : null,
    ];
    $out = array_filter($out, fn ($v) => $v !== null && $v !== '');
    echo json_encode((object) $out, JSON_UNESCAPED_UNICODE | JSON_INVALID_UTF8_SUBSTITUTE), "\n";
}
