package database

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
)

// postgresDialect is that of PostgreSQL.
type postgresDialect struct{}

func openPostgres(u *url.URL, secret Secret) (*sql.DB, error) {
	c, err := pgx.ParseConfig(u.String()) // which also knows PGPASSWORD and .pgpass
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrURL, err)
	}
	password, err := secret.password()
	if err != nil {
		return nil, err
	}
	if password != "" {
		c.Password = password
	}
	if c.ConnectTimeout == 0 {
		c.ConnectTimeout = connectTime
	}
	for name, value := range map[string]string{"application_name": "young-compass", "lock_timeout": "2s", "DateStyle": "ISO"} {
		c.RuntimeParams[name] = value
	}
	return stdlib.OpenDB(*c), nil
}

func (postgresDialect) quote(name string) string { return pgx.Identifier{name}.Sanitize() }
func (postgresDialect) param(n int) string       { return "$" + strconv.Itoa(n) }

func (d postgresDialect) read(c Column) string {
	if c.Kind == Binary {
		return d.quote(c.Name)
	}
	return d.quote(c.Name) + "::text"
}

func (d postgresDialect) same(c Column, param string) string {
	if c.Kind == Binary {
		return d.quote(c.Name) + " = " + param + "::bytea"
	}
	return d.quote(c.Name) + `::text COLLATE "C" = ` + param + "::text"
}

func (d postgresDialect) set(c Column, param string) string {
	if c.Kind == Binary {
		return param + "::bytea"
	}
	if c.Kind == JSON {
		return param + "::text::" + c.Type
	}
	return param + "::text"
}

func (postgresDialect) value(text []byte) any { return text }

func (d postgresDialect) readKey(c Column) string { return d.quote(c.Name) + "::text" }

func (d postgresDialect) orderKey(table string, c Column) string {
	return table + "." + d.quote(c.Name)
}

func (d postgresDialect) keyParam(c Column, param string) string {
	return param + "::text::" + c.Type
}

func (postgresDialect) trouble(err error) trouble {
	var of *pgconn.PgError
	var connecting *pgconn.ConnectError
	if errors.As(err, &connecting) && !errors.As(err, &of) || pgconn.SafeToRetry(err) {
		return lost
	}
	if !errors.As(err, &of) {
		if strings.Contains(err.Error(), "conn closed") {
			return lost
		}
		return refused
	}
	switch {
	case strings.HasPrefix(of.Code, "08"), of.Code == "57P01", of.Code == "57P02", of.Code == "57P03":
		return lost
	case of.Code == "55P03", of.Code == "40P01", of.Code == "40001": // waited too long, a deadlock
		return locked
	}
	return refused
}

func (d postgresDialect) tables(ctx context.Context, db *DB) ([]Table, error) {
	var tables tableList
	// A table's name has its schema where it isn't found without.
	const named = `CASE WHEN pg_table_is_visible(t.oid) THEN t.relname ELSE n.nspname || '.' || t.relname END`
	const ours = ` FROM pg_class t JOIN pg_namespace n ON n.oid = t.relnamespace
		WHERE n.nspname NOT LIKE 'pg\_%' AND n.nspname <> 'information_schema' AND t.relkind IN ('r','p','v','m','f')
		AND NOT t.relispartition`
	err := db.each(ctx, `SELECT `+named+`, n.nspname, t.relname, t.relkind::text, GREATEST(t.reltuples, 0)::bigint`+ours+
		` ORDER BY 1`, func(scan func(...any) error) error {
		t := Table{db: db}
		var schema, name, kind string
		if err := scan(&t.Name, &schema, &name, &kind, &t.Rows); err != nil {
			return err
		}
		t.quoted = pgx.Identifier{schema, name}.Sanitize()
		switch kind {
		case "v", "m":
			t.Problem = isView
		case "f":
			t.Problem = "its rows are in another database"
		}
		tables = append(tables, t)
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = db.each(ctx, `SELECT `+named+`, a.attname, format_type(a.atttypid, a.atttypmod), y.typname,
		CASE WHEN y.typname IN ('varchar', 'bpchar') AND a.atttypmod > 4 THEN a.atttypmod - 4 ELSE 0 END, a.attgenerated <> ''
		FROM pg_attribute a JOIN pg_type y ON y.oid = a.atttypid JOIN pg_class t ON t.oid = a.attrelid
		JOIN pg_namespace n ON n.oid = t.relnamespace
		WHERE a.attnum > 0 AND NOT a.attisdropped AND t.oid IN (SELECT t.oid`+ours+`) ORDER BY 1, a.attnum`,
		func(scan func(...any) error) error {
			var table, kind string
			c := Column{charset: "utf8"}
			if err := scan(&table, &c.Name, &c.Type, &kind, &c.chars, &c.Generated); err != nil {
				return err
			}
			switch kind {
			case "text", "varchar", "bpchar", "citext":
				c.Kind = Text
			case "json", "jsonb", "xml":
				c.Kind = JSON
			case "bytea":
				c.Kind = Binary
			}
			tables.add(table, c)
			return nil
		})
	if err != nil {
		return nil, err
	}
	err = db.each(ctx, `SELECT `+named+`, i.indexrelid::text, a.attname
		FROM pg_index i JOIN pg_class t ON t.oid = i.indrelid JOIN pg_namespace n ON n.oid = t.relnamespace
		CROSS JOIN LATERAL unnest(i.indkey::int2[]) WITH ORDINALITY AS k(num, place)
		JOIN pg_attribute a ON a.attrelid = t.oid AND a.attnum = k.num
		WHERE i.indisunique AND i.indisvalid AND i.indpred IS NULL AND i.indexprs IS NULL AND k.place <= i.indnkeyatts
		AND NOT EXISTS (SELECT 1 FROM pg_attribute m WHERE m.attrelid = t.oid AND m.attnum = ANY (i.indkey::int2[])
			AND NOT m.attnotnull)
		AND t.oid IN (SELECT t.oid`+ours+`)
		ORDER BY 1, NOT i.indisprimary, i.indexrelid, k.place`, tables.keys)
	return tables, err
}
