package store

import "math/bits"

// Mix folds v into the running hash h. It is a multiply-fold in the manner of
// wyhash: fast, integer only, the same on every machine.
func Mix(h, v uint64) uint64 {
	hi, lo := bits.Mul64(h^0x9e3779b97f4a7c15, v^0xd6e8feb86659fd93)
	return hi ^ lo ^ bits.RotateLeft64(h, 29)
}

// Hash is the hash of some bytes, starting from seed.
func Hash(seed uint64, b []byte) uint64 {
	h := Mix(seed, uint64(len(b)))
	for len(b) >= 8 {
		h = Mix(h, uint64(b[0])|uint64(b[1])<<8|uint64(b[2])<<16|uint64(b[3])<<24|
			uint64(b[4])<<32|uint64(b[5])<<40|uint64(b[6])<<48|uint64(b[7])<<56)
		b = b[8:]
	}
	var tail uint64
	for i, c := range b {
		tail |= uint64(c) << (8 * i)
	}
	return Mix(Mix(h, tail), 0)
}

// Keyed is randomness as a function: the same seed, device, purpose and counter
// always give the same number, whatever else was asked for.
func Keyed(seed, device, purpose, counter uint64) uint64 {
	return Mix(Mix(Mix(Mix(Mix(1, seed), device), purpose), counter), 0)
}

// Below reduces a keyed number to 0 ≤ r < n; 0 if n is 0.
func Below(r, n uint64) uint64 {
	hi, _ := bits.Mul64(r, n)
	return hi
}

// Digest runs over state: equal states give equal digests in every world and on
// every machine.
type Digest uint64

// Add folds numbers in.
func (d *Digest) Add(values ...uint64) {
	for _, v := range values {
		*d = Digest(Mix(uint64(*d), v))
	}
}

// Bytes folds bytes in.
func (d *Digest) Bytes(b []byte) { *d = Digest(Hash(uint64(*d), b)) }

// Flag folds a truth value in.
func (d *Digest) Flag(b bool) {
	if b {
		d.Add(1)
	} else {
		d.Add(0)
	}
}
