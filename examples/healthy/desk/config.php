<?php
// Where the ticket desk keeps passengers and vehicles.
const MANIFEST_HOST = 'manifest.osmary.example';
const MANIFEST_PORT = 3306;

return [
    'manifest' => [
        'driver' => 'mysql',
        'host' => MANIFEST_HOST,
        'port' => MANIFEST_PORT,
        'database' => 'manifest',
        'username' => 'deckhand',
        'password' => getenv('MANIFEST_PASSWORD'),
    ],
];
