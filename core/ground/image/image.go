// Package image writes a graph of plain values as bytes, and makes it again: the state of a simulation, to go on from later. What
// several pointers, slices or maps share is written once, and shared again.
//
// It is no format for other programs. Values are written as they lie in memory, so an image is read by a program whose types are
// laid out alike, and by no other: Print of a form says so.
package image

import (
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"maps"
	"net/netip"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"unsafe"
)

// Form is how values of a type are written. It may be used by many goroutines at the same time.
type Form[T any] struct {
	plan      *plan
	landmarks []thing
	print     uint64
}

// Rule is how something is written that does not lie in memory as it is to be written.
type Rule struct {
	of reflect.Type
	as func(f *former) *plan
	at unsafe.Pointer // of a landmark
}

// Landmark is a rule for a variable that pointers are compared with: pointers to it lead to it again.
func Landmark[T any](at *T) Rule {
	return Rule{of: reflect.TypeFor[T](), at: unsafe.Pointer(at)}
}

// As is a rule for a type that cannot be written, or need not: it is written as another, and made again of that.
func As[T, S any](out func(*T) S, in func(S) T) Rule {
	return Rule{of: reflect.TypeFor[T](), as: func(f *former) *plan {
		as := f.plan(reflect.TypeFor[S]())
		return &plan{
			write: func(w *writer, p unsafe.Pointer) {
				s := out((*T)(p))
				as.put(w, unsafe.Pointer(&s))
			},
			read: func(r *reader, p unsafe.Pointer) {
				var s S
				as.get(r, unsafe.Pointer(&s))
				*(*T)(p) = in(s)
			},
		}
	}}
}

// address is a netip.Addr: what it points to is compared by identity.
var address = As(
	func(a *netip.Addr) string { return a.String() },
	func(s string) netip.Addr {
		a, _ := netip.ParseAddr(s) // the zero value for none
		return a
	})

// Of is the form of a type. A field that has the tag `image:"-"` is left out: it is zero when it is made again. Functions, channels and
// interfaces cannot be written: a type that has some, neither left out nor under a rule, is an error that says where.
func Of[T any](rules ...Rule) (*Form[T], error) {
	f := &former{plans: map[reflect.Type]*plan{}, rules: map[reflect.Type]Rule{}}
	out := &Form[T]{}
	for _, r := range append(rules, address) {
		if r.as != nil {
			f.rules[r.of] = r
		}
	}
	for _, r := range rules {
		if r.at != nil {
			out.landmarks = append(out.landmarks, thing{r.at, 0, f.plan(r.of)})
		}
	}
	out.plan = f.plan(reflect.TypeFor[T]())
	if f.bad != nil {
		return nil, fmt.Errorf("no image can be made of %v: %s", reflect.TypeFor[T](), strings.Join(f.bad, ", "))
	}
	h := fnv.New64a()
	fmt.Fprint(h, runtime.GOARCH, f.layout.String())
	out.print = h.Sum64()
	return out, nil
}

// Print is equal for forms that read each other's images: their types are laid out alike.
func (f *Form[T]) Print() uint64 { return f.print }

var (
	errDamaged = errors.New("the image is damaged")
	errVersion = errors.New("the image is of another version")
)

// Write writes the image of a value, which must not change meanwhile. It begins with the print of the form.
func (f *Form[T]) Write(to io.Writer, v *T) error {
	w := &writer{to: to, out: make([]byte, 0, chunk), known: map[thing]uint64{}}
	for _, l := range f.landmarks {
		w.know(l)
	}
	w.bytes(binary.LittleEndian.AppendUint64(nil, f.print))
	f.plan.put(w, unsafe.Pointer(v))
	w.flush()
	w.flush() // of nothing: the end
	return w.err
}

// Read makes the value of an image. An image of another form, or one that was damaged, is an error.
func (f *Form[T]) Read(from io.Reader) (v *T, err error) {
	r := &reader{from: from, known: slices.Clone(f.landmarks)}
	defer func() {
		switch p := recover(); {
		case p == errDamaged:
			v, err = nil, errDamaged
		case p != nil:
			v, err = nil, fmt.Errorf("the image cannot be read: %v", p)
		}
	}()
	var print [8]byte
	if r.bytes(print[:]); binary.LittleEndian.Uint64(print[:]) != f.print {
		return nil, errVersion
	}
	v = new(T)
	f.plan.get(r, unsafe.Pointer(v))
	if len(r.in) > 0 || r.next() {
		return nil, errDamaged
	}
	return v, nil
}

// Weigh is about how many bytes of memory values hold together: what they share counts once.
func (f *Form[T]) Weigh(values ...*T) uint64 {
	w := &writer{known: map[thing]uint64{}, only: true}
	for _, v := range values {
		w.held += uint64(f.plan.size)
		f.plan.put(w, unsafe.Pointer(v))
	}
	return w.held
}

// Parted are the kinds of things of a value that lie within others, as an element that a pointer leads to lies in its slice: they would be
// things of their own when they are made again. It is for tests.
func (f *Form[T]) Parted(v *T) []string {
	w := &writer{known: map[thing]uint64{}, only: true}
	f.plan.put(w, unsafe.Pointer(v))
	var all []thing
	for x := range w.known {
		if x.len != mapping && x.of.size > 0 {
			all = append(all, x)
		}
	}
	slices.SortFunc(all, func(a, b thing) int {
		return cmp.Or(cmp.Compare(uintptr(a.at), uintptr(b.at)), cmp.Compare(b.size(), a.size()))
	})
	kinds := map[string]bool{}
	var last thing // of those so far, the one that reaches furthest
	for _, x := range all {
		if last.at != nil && uintptr(x.at) < uintptr(last.at)+last.size() {
			kinds[fmt.Sprintf("%v within %v", x, last)] = true
		}
		if last.at == nil || uintptr(x.at)+x.size() > uintptr(last.at)+last.size() {
			last = x
		}
	}
	return slices.Sorted(maps.Keys(kinds))
}

func (x thing) size() uintptr { return uintptr(max(x.len, 1)) * x.of.size }

func (x thing) String() string {
	if x.len == 0 {
		return x.of.name
	}
	return "[]" + x.of.name
}
