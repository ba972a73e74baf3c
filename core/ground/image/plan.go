package image

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"unsafe"
)

// plan is how values of a type are written and read. Those that are flat are written as they lie in memory.
type plan struct {
	size  uintptr
	flat  bool
	name  string
	write func(w *writer, p unsafe.Pointer)
	read  func(r *reader, p unsafe.Pointer)
}

func (pl *plan) put(w *writer, p unsafe.Pointer) {
	if pl.flat {
		w.bytes(unsafe.Slice((*byte)(p), pl.size))
		return
	}
	pl.write(w, p)
}

func (pl *plan) get(r *reader, p unsafe.Pointer) {
	if pl.flat {
		r.bytes(unsafe.Slice((*byte)(p), pl.size))
		return
	}
	pl.read(r, p)
}

// former makes plans, one for each type.
type former struct {
	plans  map[reflect.Type]*plan
	rules  map[reflect.Type]Rule
	layout strings.Builder // of all types, for the print
	bad    []string        // what cannot be written
}

func (f *former) plan(t reflect.Type) *plan {
	if pl := f.plans[t]; pl != nil {
		return pl
	}
	pl := &plan{size: t.Size(), name: t.String()}
	f.plans[t] = pl // types may hold themselves
	fmt.Fprintf(&f.layout, "%v %v %d;", t, t.Kind(), t.Size())
	var made *plan
	if rule, ok := f.rules[t]; ok {
		made = rule.as(f)
	} else {
		made = f.made(t)
	}
	pl.flat, pl.write, pl.read = made.flat, made.write, made.read
	return pl
}

func (f *former) made(t reflect.Type) *plan {
	switch t.Kind() {
	case reflect.Bool, reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint, reflect.Uint8,
		reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Float32, reflect.Float64:
		return &plan{flat: true}
	case reflect.String:
		return &plan{
			write: func(w *writer, p unsafe.Pointer) { w.text(*(*string)(p)) },
			read:  func(r *reader, p unsafe.Pointer) { *(*string)(p) = r.text() },
		}
	case reflect.Struct:
		return f.ofStruct(t)
	case reflect.Array:
		return f.ofArray(t)
	case reflect.Slice:
		return f.ofSlice(t)
	case reflect.Pointer:
		return f.ofPointer(t)
	case reflect.Map:
		return f.ofMap(t)
	}
	f.bad = append(f.bad, fmt.Sprintf("%v is a %v", t, t.Kind()))
	return &plan{flat: true}
}

// part is a field of a struct, or several that lie side by side and are flat.
type part struct {
	at   uintptr
	plan *plan
}

func (f *former) ofStruct(t reflect.Type) *plan {
	var parts []part
	whole := true // nothing is left out
	for field := range t.Fields() {
		left := field.Tag.Get("image") == "-"
		fmt.Fprintf(&f.layout, "%s %v at %d, left out %v;", field.Name, field.Type, field.Offset, left)
		if left {
			whole = false
			continue
		}
		before := len(f.bad)
		pl := f.plan(field.Type)
		for i := before; i < len(f.bad); i++ {
			f.bad[i] = fmt.Sprintf("%v.%s: %s", t, field.Name, f.bad[i])
		}
		if n := len(parts); pl.flat && n > 0 && parts[n-1].plan.flat && parts[n-1].at+parts[n-1].plan.size == field.Offset {
			parts[n-1].plan = &plan{flat: true, size: parts[n-1].plan.size + pl.size}
			continue
		}
		parts = append(parts, part{field.Offset, pl})
	}
	if whole && !slices.ContainsFunc(parts, func(p part) bool { return !p.plan.flat }) {
		return &plan{flat: true} // with what lies between its fields
	}
	return &plan{
		write: func(w *writer, p unsafe.Pointer) {
			for _, x := range parts {
				x.plan.put(w, unsafe.Add(p, x.at))
			}
		},
		read: func(r *reader, p unsafe.Pointer) {
			for _, x := range parts {
				x.plan.get(r, unsafe.Add(p, x.at))
			}
		},
	}
}

func (f *former) ofArray(t reflect.Type) *plan {
	of, n := f.plan(t.Elem()), t.Len()
	if of.flat {
		return &plan{flat: true}
	}
	return &plan{
		write: func(w *writer, p unsafe.Pointer) { w.each(of, p, n) },
		read:  func(r *reader, p unsafe.Pointer) { r.each(of, p, n) },
	}
}

// slice is how a slice lies in memory.
type slice struct {
	data     unsafe.Pointer
	len, cap int
}

func (f *former) ofSlice(t reflect.Type) *plan {
	of := f.plan(t.Elem())
	return &plan{
		write: func(w *writer, p unsafe.Pointer) {
			s := (*slice)(p)
			switch {
			case s.data == nil:
				w.number(none)
			case s.len == 0:
				w.number(empty)
			case !w.met(thing{s.data, s.len, of}, of.size*uintptr(s.len)):
				w.number(uint64(s.len))
				w.each(of, s.data, s.len)
			}
		},
		read: func(r *reader, p unsafe.Pointer) {
			was, n := r.begin(of)
			switch n {
			case none:
			case empty:
				reflect.NewAt(t, p).Elem().Set(reflect.MakeSlice(t, 0, 0))
			case known:
				*(*slice)(p) = slice{was.at, was.len, was.len}
			default:
				n := r.room()
				made := reflect.MakeSlice(t, n, n)
				reflect.NewAt(t, p).Elem().Set(made)
				r.known = append(r.known, thing{made.UnsafePointer(), n, of})
				r.each(of, made.UnsafePointer(), n)
			}
		},
	}
}

func (f *former) ofPointer(t reflect.Type) *plan {
	to := f.plan(t.Elem())
	return &plan{
		write: func(w *writer, p unsafe.Pointer) {
			at := *(*unsafe.Pointer)(p)
			if at == nil {
				w.number(none)
			} else if !w.met(thing{at, 0, to}, to.size) {
				to.put(w, at)
			}
		},
		read: func(r *reader, p unsafe.Pointer) {
			switch was, n := r.begin(to); n {
			case none:
			case known:
				*(*unsafe.Pointer)(p) = was.at
			default:
				made := reflect.New(t.Elem()).UnsafePointer()
				*(*unsafe.Pointer)(p) = made
				r.known = append(r.known, thing{made, 0, to})
				to.get(r, made)
			}
		},
	}
}

func (f *former) ofMap(t reflect.Type) *plan {
	key, of := f.plan(t.Key()), f.plan(t.Elem())
	return &plan{
		write: func(w *writer, p unsafe.Pointer) {
			m := reflect.NewAt(t, p).Elem()
			if m.IsNil() {
				w.number(none)
				return
			}
			if w.met(thing{m.UnsafePointer(), mapping, of}, uintptr(m.Len())*(key.size+of.size)*2) {
				return
			}
			w.number(uint64(m.Len()))
			for k, v := range m.Seq2() {
				w.copy(key, t.Key(), k)
				w.copy(of, t.Elem(), v)
			}
		},
		read: func(r *reader, p unsafe.Pointer) {
			m := reflect.NewAt(t, p).Elem()
			switch was, n := r.begin(of); n {
			case none:
			case known:
				*(*unsafe.Pointer)(p) = was.at
			default:
				n := r.room()
				made := reflect.MakeMapWithSize(t, n)
				m.Set(made)
				r.known = append(r.known, thing{made.UnsafePointer(), mapping, of})
				for range n {
					k, v := reflect.New(t.Key()), reflect.New(t.Elem())
					key.get(r, k.UnsafePointer())
					of.get(r, v.UnsafePointer())
					made.SetMapIndex(k.Elem(), v.Elem())
				}
			}
		},
	}
}
