package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
)

// rawConn is one connection used through the driver itself: for rows by the
// ten thousand a second the pooling and checking of database/sql costs as much
// as SQLite. It is used from one goroutine at a time.
type rawConn struct {
	conn *sql.Conn
	raw  rawDriver
}

// rawDriver is what we need of the driver's connection.
type rawDriver interface {
	driver.ExecerContext
	driver.ConnPrepareContext
}

func openRaw(ctx context.Context, db *sql.DB) (*rawConn, error) {
	conn, err := db.Conn(ctx)
	if err != nil {
		return nil, err
	}
	c := &rawConn{conn: conn}
	err = conn.Raw(func(driverConn any) error {
		raw, ok := driverConn.(rawDriver)
		if !ok {
			return fmt.Errorf("the SQLite driver's connection is a %T", driverConn)
		}
		c.raw = raw // the connection stays ours until conn is closed
		return nil
	})
	if err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return c, nil
}

func (c *rawConn) exec(ctx context.Context, query string) error {
	_, err := c.raw.ExecContext(ctx, query, nil)
	return err
}

// inTransaction runs do between BEGIN and COMMIT, or ROLLBACK when it fails or
// panics.
func (c *rawConn) inTransaction(ctx context.Context, do func() error) error {
	if err := c.exec(ctx, "BEGIN IMMEDIATE"); err != nil {
		return err
	}
	returned := false
	defer func() {
		if !returned {
			_ = c.exec(ctx, "ROLLBACK") // the panic goes on
		}
	}()
	err := do()
	returned = true
	if err != nil {
		return errors.Join(err, c.exec(ctx, "ROLLBACK"))
	}
	return c.exec(ctx, "COMMIT")
}

func (c *rawConn) prepare(ctx context.Context, query string) (*rawStmt, error) {
	stmt, err := c.raw.PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	execer, ok := stmt.(driver.StmtExecContext)
	if !ok {
		return nil, fmt.Errorf("the SQLite driver's statement is a %T", stmt)
	}
	return &rawStmt{stmt: stmt, execer: execer}, nil
}

// rawStmt is a prepared statement of a rawConn.
type rawStmt struct {
	stmt   driver.Stmt
	execer driver.StmtExecContext
	args   []driver.NamedValue
}

// exec runs the statement. Values are int64, string, []byte or nil.
func (s *rawStmt) exec(ctx context.Context, values ...any) error {
	s.args = s.args[:0]
	for i, v := range values {
		s.args = append(s.args, driver.NamedValue{Ordinal: i + 1, Value: v})
	}
	_, err := s.execer.ExecContext(ctx, s.args)
	return err
}
