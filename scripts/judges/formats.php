<?php
// Reads every INI file of a folder as PHP does: a line of JSON a file, null where PHP gives it
// up. formats.php FOLDER
error_reporting(0);
$folder = $argv[1];
$names = array_values(array_filter(scandir($folder), fn ($n) => $n[0] !== '.'));
foreach ($names as $name) {
    $all = parse_ini_file("$folder/$name", true);
    $out = null;
    if ($all !== false) {
        $out = [];
        foreach ($all as $section => $values) {
            if (is_array($values)) {
                $out[$section] = array_map(fn ($v) => is_array($v) ? 'a list' : (string) $v, $values) ?: new stdClass();
            } else {
                $out[''][$section] = (string) $values;
            }
        }
        $out = $out ?: new stdClass();
    }
    echo json_encode($out, JSON_INVALID_UTF8_SUBSTITUTE), "\n";
}
