<?php
define('DB_HOST', '<host>');
// define('DB_HOST', 'manifest.osmary.example');
define('DB_USER', 'root');
define('DB_PASSWORD', '');
define('DB_NAME', 'manifest');
$db = new mysqli(DB_HOST, DB_USER, DB_PASSWORD, DB_NAME);
