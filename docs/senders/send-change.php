<?php
/**
 * Tells Zest Lamp that pages have changed. Needs PHP 8 and nothing else.
 *
 * Call it where your content system saves something, for instance:
 *
 *     require 'send-change.php';
 *     zest_lamp_send_change(['https://www.example.org/stories/storm', '/stories'], 'ADDRESS');
 *
 * ADDRESS is "Address for changes" under Site, in Zest Lamp. ['everything'] means that menus, theme or settings have changed.
 *
 * @param string[] $pages addresses or paths
 * @param string|null $hmacField the field for an HMAC, where one is set there
 * @param string|null $secret the secret shown there
 * @return array{purged: int, paths: string[]} how many stored answers were removed
 * @throws RuntimeException with what Zest Lamp said; an editor's save should not fail because of it, so catch it and note it
 */
function zest_lamp_send_change(array $pages, string $address, ?string $hmacField = null, ?string $secret = null): array
{
    $body = json_encode(array_values($pages), JSON_THROW_ON_ERROR);
    $fields = ['Content-Type: application/json'];
    if ($hmacField !== null) {
        $fields[] = $hmacField . ': ' . hash_hmac('sha256', $body, (string) $secret);
    }
    $context = stream_context_create(['http' => [
        'method' => 'POST',
        'header' => implode("\r\n", $fields),
        'content' => $body,
        'timeout' => 15,
        'ignore_errors' => true,
    ]]);
    $answer = @file_get_contents($address, false, $context);
    if ($answer === false) {
        throw new RuntimeException('Zest Lamp cannot be reached at the address for changes.');
    }
    $told = json_decode($answer, true, 512, JSON_THROW_ON_ERROR);
    if (!isset($told['purged'])) {
        throw new RuntimeException((string) ($told['detail'] ?? 'Zest Lamp did not take the change.'));
    }
    return $told;
}

// php send-change.php PAGE…, with ZEST_CHANGES, and ZEST_HMAC_FIELD and ZEST_SECRET where they are needed
if (PHP_SAPI === 'cli' && realpath($_SERVER['SCRIPT_FILENAME']) === __FILE__) {
    $from = static fn (string $name): ?string => getenv($name) === false ? null : getenv($name);
    try {
        $told = zest_lamp_send_change(array_slice($argv, 1), (string) getenv('ZEST_CHANGES'), $from('ZEST_HMAC_FIELD'), $from('ZEST_SECRET'));
        echo json_encode($told), "\n";
    } catch (Throwable $failure) {
        fwrite(STDERR, $failure->getMessage() . "\n");
        exit(1);
    }
}
