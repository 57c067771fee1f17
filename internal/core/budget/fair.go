package budget

import (
	"io"
	"runtime"
)

// fairEvery is after how many bytes a fair reader offers the processor to others.
const fairEvery = 256 << 10

// Fair reads from r, and offers the processor to other goroutines now and then. One
// whose bytes are there already never waits for them: it would keep the processor
// until the scheduler takes it away, 10 ms.
func Fair(r io.Reader) io.Reader { return &fairReader{from: r} }

type fairReader struct {
	from io.Reader
	read int // bytes
}

// Read implements io.Reader.
func (r *fairReader) Read(p []byte) (int, error) {
	n, err := r.from.Read(p[:min(len(p), fairEvery)])
	if before := r.read; (before+n)/fairEvery > before/fairEvery {
		runtime.Gosched()
	}
	r.read += n
	return n, err
}
