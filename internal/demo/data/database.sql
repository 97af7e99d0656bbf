CREATE TABLE post (id INTEGER PRIMARY KEY, address TEXT, title TEXT, body TEXT, settings TEXT);
INSERT INTO post VALUES (1, '/times.htm', 'Times', '<p>See the <a href="http://www.skerrywick.example/Guides/Tides.html">tides</a> before you book.</p>', 'a:2:{s:5:"title";s:7:"Tickets";s:3:"url";s:37:"http://www.skerrywick.example/book#go";}');
INSERT INTO post VALUES (2, '/Guides/Tides.html', 'Tides', '<p>The <a href="../times.htm">times</a> change with the season.
<img src="http://www.skerrywick.example/media/belle.jpg" alt=""></p>', NULL);
INSERT INTO post VALUES (3, '/index.php?sec=route&item=214', 'Kvitsund', '<p><a href="/index.php?sec=route&amp;item=214&amp;lang=de">auf Deutsch</a>, <a href="/old-bookings">an old form</a></p>', '{"next": "http:\/\/www.skerrywick.example\/feedback.php", "n": 3}');
INSERT INTO post VALUES (4, NULL, 'Draft', '<p>Nothing yet.</p>', NULL);
INSERT INTO post VALUES (5, '/about.html', 'About us', '<p>We are not <a href="https://www.skerrywick.example.org/times.htm">the other company</a>.</p>', 's:9:"http://www.skerrywick.example/times.htm";');
CREATE VIEW front AS SELECT body FROM post WHERE id = 1;
