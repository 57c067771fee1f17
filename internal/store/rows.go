package store

import (
	"context"
	"strings"

	"github.com/jmoiron/sqlx"
)

// rowsAtOnce is how many rows one statement inserts.
const rowsAtOnce = 40

// insertRows inserts count rows by statements of many rows each: into is what
// stands before the rows, then what stands behind them.
func insertRows(ctx context.Context, tx *sqlx.Tx, into, then string, count int, row func(i int) []any) error {
	var prepared *sqlx.Stmt
	for start := 0; start < count; start += rowsAtOnce {
		end := min(start+rowsAtOnce, count)
		var values []any
		for i := start; i < end; i++ {
			values = append(values, row(i)...)
		}
		if prepared == nil || end-start < rowsAtOnce {
			var err error
			if prepared, err = tx.PreparexContext(ctx, into+" "+placeholders(len(values)/(end-start), end-start)+" "+then); err != nil {
				return err
			}
			defer prepared.Close()
		}
		if _, err := prepared.ExecContext(ctx, values...); err != nil {
			return err
		}
	}
	return nil
}

// placeholders stand for so many rows.
func placeholders(columns, rows int) string {
	row := "(" + strings.TrimSuffix(strings.Repeat("?, ", columns), ", ") + ")"
	return strings.TrimSuffix(strings.Repeat(row+", ", rows), ", ")
}
