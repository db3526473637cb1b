BEGIN TRANSACTION;
CREATE TABLE act (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	step INTEGER NOT NULL, 
	at DATETIME NOT NULL, 
	kind VARCHAR NOT NULL, 
	body JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES take (id) ON DELETE CASCADE
);
INSERT INTO "act" VALUES(1,1,1,'2025-09-02 10:05:00.000000','comment','{"key": "", "text": "Well counted."}');
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0001');
CREATE TABLE assignment (
	id INTEGER NOT NULL, 
	band_id INTEGER NOT NULL, 
	piece VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	bars VARCHAR NOT NULL, 
	due VARCHAR NOT NULL, 
	settings JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(band_id) REFERENCES band (id)
);
CREATE TABLE band (
	id INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	year VARCHAR NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "band" VALUES(1,'The Fernhollow Band','2025');
CREATE TABLE phrase (
	id INTEGER NOT NULL, 
	text VARCHAR NOT NULL, 
	used INTEGER NOT NULL, 
	last_at DATETIME NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (text)
);
CREATE TABLE player (
	id INTEGER NOT NULL, 
	band_id INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	instrument VARCHAR NOT NULL, 
	part VARCHAR NOT NULL, 
	consent VARCHAR NOT NULL, 
	also JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(band_id) REFERENCES band (id)
);
INSERT INTO "player" VALUES(1,1,'Ilse Fernhollow','flute','Flute','2025-09-01','[]');
CREATE TABLE practice (
	id INTEGER NOT NULL, 
	player_id INTEGER NOT NULL, 
	day VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	minutes INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(player_id) REFERENCES player (id) ON DELETE CASCADE
);
INSERT INTO "practice" VALUES(1,1,'2025-09-03','scales',20);
CREATE TABLE report (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	made_at DATETIME NOT NULL, 
	ear_version VARCHAR NOT NULL, 
	settings_hash VARCHAR NOT NULL, 
	body BLOB NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES take (id) ON DELETE CASCADE
);
CREATE TABLE take (
	id INTEGER NOT NULL, 
	tray_id INTEGER NOT NULL, 
	player_id INTEGER, 
	sha256 VARCHAR NOT NULL, 
	piece VARCHAR NOT NULL, 
	part VARCHAR NOT NULL, 
	file VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	kind VARCHAR NOT NULL, 
	support VARCHAR NOT NULL, 
	reading VARCHAR NOT NULL, 
	state VARCHAR NOT NULL, 
	sentence VARCHAR NOT NULL, 
	added_at DATETIME NOT NULL, 
	summary JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(tray_id) REFERENCES tray (id), 
	FOREIGN KEY(player_id) REFERENCES player (id)
);
INSERT INTO "take" VALUES(1,1,1,'abababababababababababababababababababababababababababababababab','','Flute','ab/abababababababababababababababababababababababababababababababab.wav','march.wav','played','alone','practised','waiting','','2025-09-02 10:01:00.000000','{}');
CREATE TABLE tray (
	id INTEGER NOT NULL, 
	band_id INTEGER NOT NULL, 
	assignment_id INTEGER, 
	name VARCHAR NOT NULL, 
	made_at DATETIME NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(band_id) REFERENCES band (id), 
	FOREIGN KEY(assignment_id) REFERENCES assignment (id)
);
INSERT INTO "tray" VALUES(1,1,NULL,'First week','2025-09-02 10:00:00.000000');
CREATE INDEX ix_player_band_id ON player (band_id);
CREATE INDEX ix_assignment_band_id ON assignment (band_id);
CREATE INDEX ix_tray_band_id ON tray (band_id);
CREATE INDEX ix_take_player_id ON take (player_id);
CREATE INDEX ix_take_sha256 ON take (sha256);
CREATE INDEX ix_take_tray_id ON take (tray_id);
CREATE INDEX ix_report_take_id ON report (take_id);
CREATE INDEX ix_act_step ON act (step);
CREATE INDEX act_take ON act (take_id, id);
CREATE INDEX ix_practice_player_id ON practice (player_id);
COMMIT;
