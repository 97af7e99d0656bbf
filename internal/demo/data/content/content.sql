-- MariaDB dump of the content system
INSERT INTO `page` VALUES (7,'<p>It\'s in the <a href=\"http://www.skerrywick.example/times.htm\">times</a>.</p>');
INSERT INTO `setting` VALUES ('menu','a:2:{s:5:"title";s:7:"Tickets";s:3:"url";s:37:"http://www.skerrywick.example/book#go";}');
