<?php
// Written by young-compass: answers as the site's plan says. Its rules are in young-compass-program.php, the addresses
// in the file that this names. What the plan leaves to the site is sent as the server would send it, or is left to the
// script that answers.

$young_compass = new class {
	/** @var ?string a script of the site that is to answer */
	public $script = null;

	private $v = ['sent' => '/']; // the variables that the steps give their values
	private $program = []; // what young-compass-program.php says
	private $root = __DIR__;
	private $data = null; // the table of addresses, open

	const FORMAT = 1;
	const HEAD = 64;    // bytes before the table
	const RECORD = 500; // bytes that are read of a record at first

	public function answer(): void {
		$shown = function_exists('ini_set') ? ini_set('display_errors', '0') : false;
		try {
			$this->request();
			$this->read();
			if (!$this->quick()) {
				$this->spell();
				if ($this->own()) {
					$this->refuse(404);
				} else {
					$this->steps();
					$this->reply();
				}
			}
		} catch (Throwable $problem) {
			error_log('young-compass: ' . $problem->getMessage());
			$this->withoutPlan();
		}
		if ($shown !== false) {
			ini_set('display_errors', $shown);
		}
	}

	/** read reads the program. It throws when that isn't there, or of another version. */
	private function read(): void {
		$young_compass = true; // the program is nothing to those who ask for it by its address
		ob_start(); // one that is spoilt is no text for visitors
		try {
			$program = @include __DIR__ . '/young-compass-program.php';
		} catch (ParseError $problem) {
			$program = null;
		}
		ob_end_clean();
		if (!is_array($program) || ($program['format'] ?? 0) !== self::FORMAT) {
			throw new RuntimeException('young-compass-program.php is missing, cut short or of another version; upload it again');
		}
		$this->program = $program;
		if ($program['folder'] !== '') {
			$this->root = dirname(__DIR__, substr_count($program['folder'], '/') + 1);
		}
	}

	/** request reads what was asked. */
	private function request(): void {
		$target = $_SERVER['REQUEST_URI'] ?? '/';
		if ($target !== '' && $target[0] !== '/' && preg_match('~^https?://[^/?#]*(.*)$~is', $target, $found)) { // RFC 9112 section 3.2.2
			$target = ($found[1] === '' || $found[1][0] !== '/' ? '/' : '') . $found[1];
		}
		$target = explode('#', $target, 2)[0];
		$parts = explode('?', $target, 2);
		$this->v = [
			'sent' => $parts[0],
			'args' => $parts[1] ?? '',
			'method' => $_SERVER['REQUEST_METHOD'] ?? 'GET',
			'scheme_asked' => in_array(strtolower($_SERVER['HTTPS'] ?? ''), ['', 'off'], true) ? 'http' : 'https',
			'forwarded' => $_SERVER['HTTP_X_FORWARDED_PROTO'] ?? '',
			'host' => self::small(rtrim(preg_replace('/:\d*$/', '', $_SERVER['HTTP_HOST'] ?? ''), '.')),
		];
	}

	/** spell gives the forms of the path that was asked for: in normal form, without doubled slashes, decoded. */
	private function spell(): void {
		$raw = self::normal($this->v['sent']);
		$this->v['raw'] = $this->v['undotted'] = $raw;
		$this->v['single'] = preg_replace('~/{2,}~', '/', $raw);
		$this->v['uri'] = preg_replace('~/{2,}~', '/', rawurldecode($raw));
	}

	/** own reports whether one of these files was asked for by its own address. */
	private function own(): bool {
		$here = substr(__DIR__, strlen($this->root)) . '/young-compass';
		return strncasecmp($this->v['uri'], $here, strlen($here)) === 0
			&& preg_match('~^(?:-[a-z0-9]+)?[.]php(?:/|$)~iD', substr($this->v['uri'], strlen($here)));
	}

	private static function small(string $text): string {
		return strtr($text, 'ABCDEFGHIJKLMNOPQRSTUVWXYZ', 'abcdefghijklmnopqrstuvwxyz');
	}

	/** normal writes a path in normal form (RFC 3986 section 6.2.2): nothing encoded that needn't be, no dot segments. */
	private static function normal(string $path): string {
		$path = preg_replace_callback('/%([0-9A-Fa-f]{2})/', function ($found) {
			$byte = chr(hexdec($found[1]));
			return preg_match('/[A-Za-z0-9._~-]/', $byte) ? $byte : strtoupper($found[0]);
		}, $path);
		$path = preg_replace_callback('/[^A-Za-z0-9\-._~!$&\'()*+,;=:@%\/]/', function ($found) {
			return sprintf('%%%02X', ord($found[0]));
		}, $path);
		$kept = [];
		$segments = explode('/', substr($path, 1));
		$last = count($segments) - 1;
		foreach ($segments as $i => $segment) {
			if ($segment === '..') {
				array_pop($kept);
			} elseif ($segment !== '.') {
				$kept[] = $segment;
				continue;
			}
			if ($i === $last) {
				$kept[] = '';
			}
		}
		return '/' . implode('/', $kept);
	}

	/** quick answers for plain addresses, about which an entry alone can decide, and reports whether this is one. */
	private function quick(): bool {
		$quick = $this->program['quick'];
		$path = $this->v['sent'];
		$query = $this->v['args'];
		if ($quick === null || $this->v['scheme_asked'] . '://' . $this->v['host'] !== $quick['origin']
			|| !preg_match($quick['path'], $path) || in_array($path, $quick['groups'], true)) {
			return false;
		}
		foreach ($query === '' ? [] : $quick['hidden'] as $expression) {
			if (self::meets($expression, $query, $found)) {
				return false;
			}
		}
		foreach ($this->program['patterns'] as [$expression, $value]) {
			if (self::meets($expression, $quick['flags'] . $path, $found)) {
				return false;
			}
		}
		$action = $this->find("/s0:$path");
		if ($action === '') {
			if (!$this->content($path)) {
				$this->refuse(404);
			}
			return true;
		}
		if (!preg_match('~^m(\d+)/(\d+) (0|drop) ([^#]*)$~D', $action, $found) || $query !== '' && $found[3] !== '0') {
			return false;
		}
		if ($query !== '') {
			$found[4] .= (strpos($found[4], '?') === false ? '?' : '&') . $query;
		}
		$get = in_array($this->v['method'], ['GET', 'HEAD'], true);
		header('Location: ' . $found[4], true, (int) $found[$get ? 1 : 2]);
		return true;
	}

	/** steps gives every variable its value. */
	private function steps(): void {
		foreach ($this->program['steps'] as $step) {
			switch ($step[0]) {
				case 'table':
					$this->v[$step[1]] = $this->row($step);
					break;
				case 'look up':
					foreach (['0', '1', '2'] as $n) {
						$this->v["d$n"] = $this->meaning($n);
					}
					break;
				case 'same':
					$this->v['exact'] = preg_match($step[1], $this->v['way'], $found)
						&& $found[1] === $this->v['uri'] ? '1' : '0';
					break;
				case 'equal':
					$this->v[$step[1]] = $this->v[$step[2]] === $this->v[$step[3]] ? '1' : '0';
					break;
				case 'small':
					$this->v[$step[1]] = preg_replace_callback('/%../', function ($found) {
						return strtoupper($found[0]); // a byte, not letters
					}, self::small($this->v[$step[2]]));
					break;
				case 'keep':
					$this->v['kept'] = $this->kept();
					break;
				case 'client':
					$this->v[$step[1]] = self::within($step[2]) ? '1' : '0';
					break;
				default:
					throw new RuntimeException('young-compass.php and its program are of two versions; upload both');
			}
		}
	}

	/** row returns the value of the first row of a table that its source meets. */
	private function row(array $step): string {
		[, , $source, $otherwise, $rows, $fold] = $step;
		$source = $this->text($source, []);
		$folded = $fold ? self::small($source) : $source;
		foreach ($rows as [$exact, $expression, $value]) {
			if ($exact !== null) {
				if ($folded === $exact) {
					return $this->text($value, []);
				}
			} elseif (self::meets($expression, $source, $found)) {
				return $this->text($value, $found);
			}
		}
		return $this->text($otherwise, []);
	}

	private static function meets(string $expression, string $text, ?array &$found): bool {
		$met = preg_match($expression, $text, $found);
		if ($met === false) {
			throw new RuntimeException('an expression of the plan took too long');
		}
		return $met === 1;
	}

	/** text writes a text: literals, [names of variables] and numbers of what an expression captured. */
	private function text($text, array $found): string {
		if (is_string($text)) {
			return $text;
		}
		$whole = '';
		foreach ($text as $part) {
			if (is_string($part)) {
				$whole .= $part;
			} elseif (is_int($part)) {
				$whole .= $found[$part] ?? '';
			} else {
				$whole .= $this->v[$part[0]] ?? '';
			}
		}
		return $whole;
	}

	/** meaning looks up what a form of the path means, with the parameters that count. */
	private function meaning(string $n): string {
		if ($this->v['site'] === '-') {
			return '';
		}
		$path = $this->v["p$n"];
		$key = ($n === '0' ? '/a' : '/s') . $this->v["g$n"] . ':'
			. ($this->program['lower'] ? self::small($path) : $path) . $this->v["s$n"];
		if ($this->program['hosts']) {
			$action = $this->find(self::small($this->v["host$n"]) . $key);
			if ($action !== '') {
				return $action;
			}
		}
		if ($this->v['site'] !== 'o') {
			return '';
		}
		$action = $this->find($key);
		if ($action !== '') {
			return $action;
		}
		$subject = $this->v["x$n"] . $this->v["g$n"] . ':' . $path . $this->v["s$n"];
		foreach ($this->program['patterns'] as [$expression, $value]) {
			if (self::meets($expression, $subject, $found)) {
				return $this->text($value, $found);
			}
		}
		return '';
	}

	/** find looks a key up in the table of addresses: slots with the places of records, found by the key's CRC-32. */
	private function find(string $key): string {
		if ($this->data === null) {
			$this->open();
		}
		$mask = $this->program['slots'] - 1;
		for ($slot = crc32($key) & $mask, $tried = 0; $tried <= $mask; $tried++) {
			$at = unpack('V', $this->bytes(self::HEAD + 4 * $slot, 4))[1];
			if ($at === 0) {
				return '';
			}
			$record = $this->bytes($at, max(4, min(self::RECORD, $this->program['size'] - $at))); // mostly all of it
			$sizes = unpack('vkey/vvalue', $record);
			$length = 4 + $sizes['key'] + $sizes['value'];
			if ($length > strlen($record)) {
				$record .= $this->bytes($at + strlen($record), $length - strlen($record));
			}
			if (strlen($key) === $sizes['key'] && substr_compare($record, $key, 4, $sizes['key']) === 0) {
				return substr($record, 4 + $sizes['key'], $sizes['value']);
			}
			$slot = ($slot + 1) & $mask;
		}
		return '';
	}

	private function open(): void {
		$name = $this->program['data'];
		$this->data = @fopen(__DIR__ . '/' . $name, 'rb');
		if ($this->data === false) {
			throw new RuntimeException("$name can't be read; upload it again");
		}
		stream_set_read_buffer($this->data, 0);
		if (fstat($this->data)['size'] !== $this->program['size']) {
			throw new RuntimeException("$name is cut short; upload it again");
		}
	}

	/** bytes reads a stretch of the table. */
	private function bytes(int $at, int $length): string {
		if ($at < self::HEAD || $at + $length > $this->program['size'] || fseek($this->data, $at) !== 0) {
			throw new RuntimeException($this->program['data'] . ' is spoilt; upload it again');
		}
		$read = '';
		while (strlen($read) < $length) {
			$more = fread($this->data, $length - strlen($read));
			if ($more === false || $more === '') {
				throw new RuntimeException($this->program['data'] . ' is cut short; upload it again');
			}
			$read .= $more;
		}
		return $read;
	}

	/** kept returns the parameters that travel. */
	private function kept(): string {
		if ($this->v['set'] === 'drop') {
			return '';
		}
		$leave = $this->v['set'] === 'all' ? [] : $this->program['sets'][(int) $this->v['set']];
		$kept = [];
		foreach (explode('&', $this->v['args']) as $item) {
			if ($item !== '' && !self::named(explode('=', $item, 2)[0], $leave)) {
				$kept[] = $item;
			}
		}
		return implode('&', $kept);
	}

	/** named reports whether a name is in a list, in which a * at the end stands for anything. */
	private static function named(string $name, array $list): bool {
		foreach ($list as $one) {
			if ($one === $name || substr($one, -1) === '*' && strncmp($one, $name, strlen($one) - 1) === 0) {
				return true;
			}
		}
		return false;
	}

	/** within reports whether the visitor's address is in one of the networks. */
	private static function within(array $networks): bool {
		$visitor = @inet_pton($_SERVER['REMOTE_ADDR'] ?? '');
		if ($visitor === false) {
			return false;
		}
		if (strlen($visitor) === 16 && strncmp($visitor, "\0\0\0\0\0\0\0\0\0\0\xff\xff", 12) === 0) {
			$visitor = substr($visitor, 12); // an IPv4 address written as IPv6
		}
		foreach ($networks as $network) {
			[$first, $bits] = explode('/', $network);
			$first = inet_pton($first);
			$whole = intdiv((int) $bits, 8);
			$shift = 8 - (int) $bits % 8;
			if (strlen($first) === strlen($visitor) && strncmp($first, $visitor, $whole) === 0
				&& ($shift === 8 || ord($first[$whole]) >> $shift === ord($visitor[$whole]) >> $shift)) {
				return true;
			}
		}
		return false;
	}

	/** reply answers: with a redirect, a status, a script of the site, or a file. */
	private function reply(): void {
		foreach ($this->program['headers'] as [$name, $variable]) {
			if ($this->v[$variable] !== '') {
				header($name . ': ' . $this->v[$variable]);
			}
		}
		$status = (int) $this->v['code'];
		if ($status >= 300 && $status < 400 && $this->circles()) {
			$status = 0;
		}
		if ($status >= 300 && $status < 400) {
			header('Location: ' . $this->v['location'], true, $status);
		} elseif ($status !== 0) {
			$this->refuse($status);
		} elseif (($this->v['inside'] ?? '') !== '') {
			[$path, $query] = explode('?', $this->v['inside'], 2) + [1 => ''];
			if (!($path === $this->program['front'] && $this->content($this->v['uri'])) && !$this->handOn(rawurldecode($path), $query)) {
				$this->refuse(404); // what lies there goes before a front controller
			}
		} elseif (!$this->content($this->v['uri']) && !$this->front()) {
			$this->refuse(404);
		}
	}

	/** front hands what isn't there on to the front controller, if the plan names one for this address. */
	private function front(): bool {
		$front = $this->program['front'];
		return $front !== '' && ($this->v['internal'] ?? '') === $front && $this->handOn($front, $this->v['args']);
	}

	/**
	 * circles reports whether a slash behind a real folder's name is all that is to go. The server adds it before it asks a
	 * per-folder file, so it would come back.
	 */
	private function circles(): bool {
		return $this->v['on_origin'] === '1' && substr($this->v['uri'], -1) === '/' && @is_dir($this->root . $this->v['uri'])
			&& explode('?', $this->v['location'])[0] === $this->v['base'] . rtrim($this->v['single'], '/');
	}

	/** withoutPlan answers with what is there, and with 503 where nothing is. */
	private function withoutPlan(): void {
		if ($this->program === []) {
			$this->root = $_SERVER['DOCUMENT_ROOT'] ?? $this->root;
		}
		$this->spell();
		if (!headers_sent() && !$this->content($this->v['uri'])) {
			$this->refuse(503);
		}
	}

	/** refuse answers with a status, and with the site's own page for it if it has one: 404.html. */
	private function refuse(int $status): void {
		$words = [404 => 'Not Found', 410 => 'Gone', 503 => 'Service Unavailable'];
		http_response_code($status);
		header('Content-Type: text/html; charset=utf-8');
		$page = $this->root . "/$status.html";
		if (!$this->below($page) || @readfile($page) === false) {
			$word = $words[$status] ?? 'Error';
			echo "<!DOCTYPE html>\n<title>$status $word</title>\n<h1>$word</h1>\n";
		}
	}

	/** below reports whether a file is one below the document root that may be sent. */
	private function below(string $file): bool {
		if (!@is_file($file)) {
			return false;
		}
		$real = @realpath($file);
		$root = @realpath($this->root);
		return $real !== false && $root !== false && strncmp($real, "$root/", strlen($root) + 1) === 0
			&& !preg_match('~/[.](?!well-known/)~', substr($real, strlen($root)))
			&& !(dirname($real) === __DIR__ && strncasecmp(basename($real), 'young-compass', 13) === 0);
	}

	/** content sends what the site has under a path, and reports whether there is anything. */
	private function content(string $path): bool {
		if (strpos($path, "\0") !== false) {
			return false;
		}
		$names = [$path];
		foreach ($this->program['index'] ?? ['index.html', 'index.php'] as $index) { // what is usual, without a program
			$names[] = rtrim($path, '/') . "/$index";
		}
		foreach (rtrim($path, '/') === '' ? [] : $this->program['extensions'] ?? ['.html', '.htm', '.php'] as $extension) {
			$names[] = rtrim($path, '/') . $extension;
		}
		foreach ($names as $name) {
			if ($this->below($this->root . $name)) {
				if (preg_match('~[.](?:php\d?|phtml)$~iD', $name)) {
					return $this->handOn($name, $this->v['args'] ?? '');
				}
				return $this->send($this->root . $name);
			}
		}
		return false;
	}

	/** handOn lets a script of the site answer, as if it had been asked for by its own address. */
	private function handOn(string $path, string $query): bool {
		$file = $this->root . $path;
		if (strpos($path, "\0") !== false || !$this->below($file)) {
			return false;
		}
		$_SERVER['SCRIPT_NAME'] = $_SERVER['PHP_SELF'] = $path;
		$_SERVER['SCRIPT_FILENAME'] = $file;
		$_SERVER['QUERY_STRING'] = $query;
		unset($_SERVER['PATH_INFO'], $_SERVER['PATH_TRANSLATED']);
		foreach ($_SERVER as $name => $value) { // variables that a per-folder file sets have this name behind a rewrite
			$own = substr($name, 9);
			if (strncmp($name, 'REDIRECT_', 9) === 0 && !isset($_SERVER[$own]) && !in_array($own, ['STATUS', 'URL', 'QUERY_STRING'], true)) {
				$_SERVER[$own] = $value;
			}
		}
		parse_str($query, $_GET);
		$_REQUEST = array_merge($_GET, $_POST);
		chdir(dirname($file));
		$this->script = $file;
		return true;
	}

	/** send sends a file as the server does: its type, its date, a part of it, or nothing if it is known. */
	private function send(string $file): bool {
		if (preg_match('~[.](?:phar|phps|inc|cgi|fcgi|pl|py|rb|sh|asp|aspx|jsp|shtml)$~iD', $file)) {
			return false; // the server would run it, and here its text would be shown
		}
		if (!in_array($this->v['method'] ?? 'GET', ['GET', 'HEAD'], true)) {
			http_response_code(405);
			header('Allow: GET, HEAD');
			return true;
		}
		$open = @fopen($file, 'rb');
		if ($open === false) {
			return false;
		}
		while (ob_get_level() > 0) {
			ob_end_clean();
		}
		['size' => $size, 'mtime' => $changed] = fstat($open);
		$date = gmdate('D, d M Y H:i:s', $changed) . ' GMT';
		header('Content-Type: ' . self::type($file));
		header("Last-Modified: $date");
		header('Accept-Ranges: bytes');
		if (isset($_SERVER['HTTP_IF_MODIFIED_SINCE']) && strtotime($_SERVER['HTTP_IF_MODIFIED_SINCE']) >= $changed) {
			http_response_code(304);
			header_remove('Content-Type');
			return true;
		}
		[$from, $to] = [0, $size - 1];
		if (($_SERVER['HTTP_IF_RANGE'] ?? $date) === $date
			&& preg_match('/^bytes=(\d{0,18})-(\d{0,18})$/D', $_SERVER['HTTP_RANGE'] ?? '', $asked)
			&& $asked[1] . $asked[2] !== '') {
			[$from, $to] = $asked[1] === '' ? [max(0, $size - (int) $asked[2]), $size - 1]
				: [(int) $asked[1], $asked[2] === '' ? $size - 1 : min((int) $asked[2], $size - 1)];
			if ($from > $to) {
				http_response_code(416);
				header("Content-Range: bytes */$size");
				return true;
			}
			http_response_code(206);
			header("Content-Range: bytes $from-$to/$size");
		}
		header('Content-Length: ' . ($to - $from + 1));
		if (($this->v['method'] ?? 'GET') === 'HEAD') {
			return true;
		}
		fseek($open, $from);
		for ($left = $to - $from + 1; $left > 0 && !connection_aborted(); $left -= strlen($part)) {
			$part = fread($open, min($left, 1 << 16));
			if ($part === false || $part === '') {
				break;
			}
			echo $part;
		}
		return true;
	}

	private static function type(string $file): string {
		$types = [
			'html' => 'text/html', 'htm' => 'text/html', 'css' => 'text/css', 'js' => 'text/javascript',
			'mjs' => 'text/javascript', 'json' => 'application/json', 'map' => 'application/json', 'xml' => 'text/xml',
			'txt' => 'text/plain', 'csv' => 'text/csv', 'png' => 'image/png', 'jpg' => 'image/jpeg', 'jpeg' => 'image/jpeg',
			'gif' => 'image/gif', 'svg' => 'image/svg+xml', 'webp' => 'image/webp', 'avif' => 'image/avif',
			'ico' => 'image/vnd.microsoft.icon', 'bmp' => 'image/bmp', 'woff' => 'font/woff', 'woff2' => 'font/woff2',
			'ttf' => 'font/ttf', 'otf' => 'font/otf', 'pdf' => 'application/pdf', 'zip' => 'application/zip',
			'gz' => 'application/gzip', 'mp3' => 'audio/mpeg', 'ogg' => 'audio/ogg', 'mp4' => 'video/mp4',
			'webm' => 'video/webm', 'webmanifest' => 'application/manifest+json', 'xhtml' => 'application/xhtml+xml',
		];
		return $types[strtolower(pathinfo($file, PATHINFO_EXTENSION))] ?? 'application/octet-stream';
	}
};
$young_compass->answer();
if ($young_compass->script !== null) {
	require $young_compass->script;
}
