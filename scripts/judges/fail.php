<?php
// Lets a client of PHP fail, and prints what it says: fail.php CLIENT HOST PORT USER PASSWORD
// DATABASE. Ends with 0 if it did not fail.
[, $client, $host, $port, $user, $password, $database] = $argv;
error_reporting(E_ALL);
ini_set('display_errors', 'stderr');
ini_set('default_socket_timeout', '4');
switch ($client) {
    case 'pdo_pgsql':
        new PDO("pgsql:host=$host;port=$port;dbname=$database;connect_timeout=4", $user, $password);
        break;
    case 'pdo_mysql':
        new PDO("mysql:host=$host;port=$port;dbname=$database", $user, $password, [PDO::ATTR_TIMEOUT => 4]);
        break;
    case 'mysqli':
        new mysqli($host, $user, $password, $database, (int) $port);
        break;
    case 'pgsql':
        exit(pg_connect("host=$host port=$port user=$user password=$password dbname=$database connect_timeout=4") ? 0 : 1);
}
