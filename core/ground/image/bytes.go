package image

import (
	"encoding/binary"
	"hash/crc32"
	"io"
	"reflect"
	"slices"
	"unsafe"
)

// A pointer, slice or map is written as a number: that it is nil, that it has no elements, that it follows, or which of those before it
// is.
const (
	none  = iota // nil
	empty        // a slice that has no elements
	fresh        // what it leads to follows
	known        // known + n: the nth that was met
)

// thing is what pointers, slices or maps lead to.
type thing struct {
	at  unsafe.Pointer
	len int   // of a slice; 0 of a variable, mapping of a map
	of  *plan // of the variable, or of the elements
}

const mapping = -1

// chunk is how many bytes are written together, after their number and their checksum; after the last, the number is 0.
const chunk = 1 << 20

var table = crc32.MakeTable(crc32.Castagnoli)

type writer struct {
	to    io.Writer
	out   []byte // to be written
	err   error  // of the first write that failed: all later ones are left
	known map[thing]uint64
	held  uint64 // bytes that things take
	only  bool   // to learn what is held: nothing is written
}

func (w *writer) bytes(b []byte) {
	if w.only {
		return
	}
	for len(w.out)+len(b) > chunk {
		n := chunk - len(w.out)
		w.out, b = append(w.out, b[:n]...), b[n:]
		w.flush()
	}
	w.out = append(w.out, b...)
}

// flush writes a chunk.
func (w *writer) flush() {
	var head [8]byte
	binary.LittleEndian.PutUint32(head[:], uint32(len(w.out)))
	binary.LittleEndian.PutUint32(head[4:], crc32.Checksum(w.out, table))
	for _, b := range [][]byte{head[:], w.out} {
		if w.err == nil {
			_, w.err = w.to.Write(b)
		}
	}
	w.out = w.out[:0]
}

func (w *writer) number(n uint64) {
	var b [binary.MaxVarintLen64]byte
	w.bytes(b[:binary.PutUvarint(b[:], n)])
}

func (w *writer) text(s string) {
	w.number(uint64(len(s)))
	w.bytes(unsafe.Slice(unsafe.StringData(s), len(s)))
}

func (w *writer) know(x thing) { w.known[x] = uint64(len(w.known)) }

// met writes which of the things before this one is, and says whether it is one of them; else it follows.
func (w *writer) met(x thing, size uintptr) bool {
	if n, ok := w.known[x]; ok {
		w.number(known + n)
		return true
	}
	w.know(x)
	w.held += uint64(size)
	w.number(fresh)
	return false
}

func (w *writer) each(of *plan, at unsafe.Pointer, n int) {
	if of.flat {
		w.bytes(unsafe.Slice((*byte)(at), uintptr(n)*of.size))
		return
	}
	for i := range n {
		of.write(w, unsafe.Add(at, uintptr(i)*of.size))
	}
}

// copy writes a value that has no place in memory.
func (w *writer) copy(of *plan, t reflect.Type, v reflect.Value) {
	p := reflect.New(t)
	p.Elem().Set(v)
	of.put(w, p.UnsafePointer())
}

type reader struct {
	from  io.Reader
	in    []byte // what is left of the chunk
	chunk []byte
	known []thing
}

// next reads a chunk; it says whether there was one.
func (r *reader) next() bool {
	var head [8]byte
	r.full(head[:])
	n := binary.LittleEndian.Uint32(head[:])
	if n > chunk {
		panic(errDamaged)
	}
	r.chunk = slices.Grow(r.chunk[:0], int(n))[:n]
	r.full(r.chunk)
	if crc32.Checksum(r.chunk, table) != binary.LittleEndian.Uint32(head[4:]) {
		panic(errDamaged)
	}
	r.in = r.chunk
	return n > 0
}

func (r *reader) full(b []byte) {
	if _, err := io.ReadFull(r.from, b); err != nil {
		panic(errDamaged)
	}
}

func (r *reader) bytes(to []byte) {
	for len(to) > 0 {
		if len(r.in) == 0 && !r.next() {
			panic(errDamaged)
		}
		n := copy(to, r.in)
		to, r.in = to[n:], r.in[n:]
	}
}

func (r *reader) ReadByte() (byte, error) {
	if len(r.in) == 0 && !r.next() {
		panic(errDamaged)
	}
	b := r.in[0]
	r.in = r.in[1:]
	return b, nil
}

func (r *reader) number() uint64 {
	n, err := binary.ReadUvarint(r)
	if err != nil {
		panic(errDamaged)
	}
	return n
}

func (r *reader) text() string {
	b := make([]byte, r.room())
	r.bytes(b)
	return unsafe.String(unsafe.SliceData(b), len(b))
}

// begin reads the number of a pointer, slice or map; known gives the thing that it leads to.
func (r *reader) begin(of *plan) (was thing, n uint64) {
	if n = r.number(); n < known {
		return was, n
	}
	if n -= known; n >= uint64(len(r.known)) || r.known[n].of != of {
		panic(errDamaged)
	}
	return r.known[n], known
}

// room reads how many elements follow.
func (r *reader) room() int {
	n := r.number()
	if n > 1<<31 {
		panic(errDamaged)
	}
	return int(n)
}

func (r *reader) each(of *plan, at unsafe.Pointer, n int) {
	if of.flat {
		r.bytes(unsafe.Slice((*byte)(at), uintptr(n)*of.size))
		return
	}
	for i := range n {
		of.read(r, unsafe.Add(at, uintptr(i)*of.size))
	}
}
