package store

import (
	"context"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"
)

// packSize is from how many bytes on a pack is written. To read one content its pack is read.
const packSize = 32 << 10

// pack is a run of contents in one row, since a row for each costs more than what stands in it. Their
// ids follow one another.
type pack struct {
	First int64  `db:"id"`
	Sizes []byte `db:"sizes"` // the length of each, as uvarints; nil for one content alone
	Data  []byte `db:"data"`  // the contents, one behind the other
}

// add puts a content behind the others.
func (p *pack) add(id int64, data []byte) {
	if len(p.Data) == 0 {
		p.First = id
	}
	p.Data = append(p.Data, data...)
	p.Sizes = binary.AppendUvarint(p.Sizes, uint64(len(data)))
}

// empty makes room for the next run.
func (p *pack) empty() {
	if cap(p.Data) > 1<<20 { // a large body was among them
		p.Data = nil
	}
	p.Data, p.Sizes = p.Data[:0], p.Sizes[:0]
}

// each visits the contents until visit wants no more. They share the memory of the pack.
func (p *pack) each(visit func(id int64, data []byte) (more bool)) error {
	if p.Sizes == nil {
		visit(p.First, p.Data)
		return nil
	}
	data, sizes := p.Data, p.Sizes
	for id := p.First; len(sizes) > 0; id++ {
		size, read := binary.Uvarint(sizes)
		if read <= 0 || size > uint64(len(data)) {
			return fmt.Errorf("the contents of calls from %d on are damaged", p.First)
		}
		if !visit(id, data[:size]) {
			return nil
		}
		data, sizes = data[size:], sizes[read:]
	}
	return nil
}

// content is one of the contents; nil where it is not among them.
func (p *pack) content(id int64) (found []byte, err error) {
	err = p.each(func(each int64, data []byte) bool {
		if each == id {
			found = data
		}
		return each < id
	})
	return found, err
}

// readParts reads what a call consists of. What is no longer kept is nil.
func readParts(ctx context.Context, db sqlx.QueryerContext, ids [partCount]int64) (parts [partCount][]byte, err error) {
	var p pack // most of what is new in a call is in one
	for i, id := range ids {
		if id == 0 {
			continue
		}
		if parts[i], err = p.content(id); err != nil {
			return parts, err
		}
		if parts[i] != nil {
			continue
		}
		p = pack{}
		err = sqlx.GetContext(ctx, db, &p, `SELECT id, sizes, data FROM contents WHERE id <= ? ORDER BY id DESC LIMIT 1`, id)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return parts, err
		}
		if parts[i], err = p.content(id); err != nil {
			return parts, err
		}
	}
	return parts, nil
}
