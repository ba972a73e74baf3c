package labtext

import (
	"fmt"
	"math"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// series is a counter as the editor writes it out: port e[1..4].
var series = regexp.MustCompile(`\[\d+\.\.\d+`)

// maxPixels bounds the places of cards on the map.
const maxPixels = 100_000

// fault is what is wrong with a word, and what to write.
type fault struct {
	what, hint string
	// instead is the one right word, "" if there is none.
	instead string
}

// judge says what is wrong with an argument, nothing if it is right.
func judge(a Arg, t Token) fault {
	if series.MatchString(t.Text) && !t.Quoted {
		return fault{phrase.Say("%s is a series", t.Text), "press Ctrl-E on its line in the editor: it writes the series out", ""}
	}
	if t.Quoted != (a.Kind == Quoted) {
		if t.Quoted {
			return fault{phrase.Say("%s is not written in quotes", phrase.Text(a.Name)), "write it without quotes", t.Text}
		}
		return fault{phrase.Say("the %s is written in quotes", phrase.Text(a.Name)), phrase.Say("write %q", t.Text), strconv.Quote(t.Text)}
	}
	switch a.Kind {
	case Name:
		if len(a.Words) > 0 {
			if !slices.Contains(a.Words, t.Text) {
				return fault{phrase.Say("%q is not a %s", t.Text, phrase.Text(a.Name)), phrase.Say("known: %s", strings.Join(a.Words, ", ")), ""}
			}
			return fault{}
		}
		if !validName(t.Text) {
			return fault{phrase.Say("%q is not a name", t.Text), "a name begins with a letter and goes on with letters, digits, - and _", ""}
		}
	case Pixels:
		if n, err := strconv.Atoi(t.Text); err != nil || max(n, -n) > maxPixels {
			return fault{phrase.Say("%q is not a place on the map", t.Text), phrase.Say("write pixels, from -%d to %d", maxPixels, maxPixels), ""}
		}
	case Compare:
		if !slices.Contains([]string{"<", "<=", "=", ">=", ">"}, t.Text) {
			return fault{phrase.Say("%q is not a comparison", t.Text), "write <, <=, =, >= or >", ""}
		}
	case Value:
		if !numeric(t.Text) && !validName(t.Text) {
			return fault{phrase.Say("%q is neither a number nor a name", t.Text), "", ""}
		}
		if _, err := strconv.ParseUint(t.Text, 10, 32); numeric(t.Text) && err != nil {
			return fault{phrase.Say("%s is out of range", t.Text), "from 0 to 4294967295", ""}
		}
	case HopValue:
		if _, err := parseAddress(t.Text); err != nil && t.Text != "self" && t.Text != "peer" {
			return fault{phrase.Say("%q is not a next hop", t.Text), "write an address, self or peer", ""}
		}
	case Community:
		if !config.IsCommunity(t.Text) {
			return fault{phrase.Say("%q is not a community", t.Text), "write AS:VALUE, both up to 65535, A:B:C, or a name such as no-export", ""}
		}
	case WildCommunity:
		if !config.WildCommunity(t.Text) {
			return fault{phrase.Say("%q is not a community", t.Text), "write AS:VALUE, A:B:C, or a name; * is any number", ""}
		}
	case CommunityOrIn, PathWord:
		// Judged as a whole, where they are built.
	case Literal:
		if t.Text != a.Words[0] {
			hint := phrase.Say("write %s", a.Words[0])
			if a.Words[0] == "->" {
				hint = "write FROM -> TO"
			}
			return fault{phrase.Say("%s is missing before %q", a.Words[0], t.Text), hint, ""}
		}
	case Number:
		if a.Off && t.Text == "off" {
			return fault{}
		}
		n, err := strconv.ParseUint(t.Text, 10, 64)
		if err != nil {
			return fault{phrase.Say("%q is not a whole number", t.Text), ranged(a, ""), ""}
		}
		if !a.holds(n) {
			return fault{phrase.Say("%s is out of range", t.Text), ranged(a, ""), ""}
		}
	case Seconds:
		d, err := parseDuration(t.Text)
		if err != nil || d%time.Second != 0 || !a.holds(uint64(d/time.Second)) {
			return fault{phrase.Say("%q is not a number of whole seconds", t.Text), ranged(a, "s"), ""}
		}
	case Duration:
		d, err := parseDuration(t.Text)
		if err != nil || d < 0 {
			return fault{phrase.Say("%q is not a time", t.Text), "write a number and a unit: us, ms or s", ""}
		}
		if !a.holds(uint64(d)) {
			return fault{phrase.Say("%s is out of range", t.Text), phrase.Say("from %v to %v", time.Duration(a.Min), time.Duration(a.Max)), ""}
		}
	case Rate:
		n, err := parseRate(t.Text)
		if err != nil {
			return fault{phrase.Say("%q is not a rate", t.Text), "write a number and a unit: k, M or G bit/s", ""}
		}
		if !a.holds(n) {
			return fault{phrase.Say("%s is out of range", t.Text), phrase.Say("from %s to %s", FormatRate(a.Min), FormatRate(a.Max)), ""}
		}
	case Stretch:
		if _, ok := parseSpan(t.Text); !ok {
			return fault{phrase.Say("%q is not a stretch of time", t.Text), "write for example 10m..2h, or 10m.. for without end", ""}
		}
	case Lengths:
		if _, _, ok := parseLengths(t.Text); !ok {
			return fault{phrase.Say("%q is not a range of prefix lengths", t.Text), "write for example 24..32, or 24", ""}
		}
	case ASRange:
		if _, _, ok := parseASRange(t.Text); !ok {
			return fault{phrase.Say("%q is not a range of AS numbers", t.Text), "write for example 64600..64999", ""}
		}
	case Percent:
		if _, err := parsePercent(t.Text); err != nil {
			return fault{phrase.Say("%q is not a share", t.Text), "write 0% to 100%", ""}
		}
	case Address:
		if _, err := parseAddress(t.Text); err != nil {
			return fault{phrase.Say("%q is not an address", t.Text), "write an IPv4 address: 192.0.2.1", ""}
		}
	case Interface, Prefix:
		p, err := netip.ParsePrefix(t.Text)
		if _, isAddr := parseAddress(t.Text); err != nil && isAddr == nil {
			return fault{phrase.Say("%s has no prefix length", t.Text), phrase.Say("write %s/24, or the length that it has", t.Text), ""}
		}
		if err != nil || !p.Addr().Is4() {
			return fault{phrase.Say("%q is not an IPv4 address with its prefix length", t.Text), phrase.Say("write it as %s", argForms[a.Kind]), ""}
		}
		if a.Kind == Prefix && p.Masked() != p {
			return fault{phrase.Say("%s has bits set beyond its length", t.Text), phrase.Say("write %v", p.Masked()), p.Masked().String()}
		}
	case Area:
		if _, err := parseArea(t.Text); err != nil {
			return fault{phrase.Say("%q is not an area", t.Text), "write a number, or four numbers with dots: 0 or 0.0.0.0", ""}
		}
	case PortRef:
		device, port, dotted := strings.Cut(t.Text, ".")
		if !validName(device) || dotted && !validName(port) {
			return fault{phrase.Say("%q is not a port", t.Text), "write DEVICE.PORT, or the name of a host", ""}
		}
	case PeerName:
		if _, err := parseAddress(t.Text); err != nil && !validName(t.Text) {
			return fault{phrase.Say("%q is neither a device nor an address", t.Text), "", ""}
		}
	case PrefixOrName:
		if strings.Contains(t.Text, "/") {
			return judge(Arg{Name: a.Name, Kind: Prefix}, t)
		}
		if !validName(t.Text) {
			return fault{phrase.Say("%q is neither a prefix nor a name", t.Text), "write a prefix such as 192.0.2.0/24, or the name of a policy or prefix set", ""}
		}
	case Adjusted, MEDValue:
		digits := strings.TrimPrefix(strings.TrimPrefix(t.Text, "+"), "-")
		if _, err := strconv.ParseUint(digits, 10, 32); err != nil && !(a.Kind == MEDValue && t.Text == "igp") {
			return fault{phrase.Say("%q is not a %s", t.Text, phrase.Text(a.Name)), phrase.Say("write %s, up to 4294967295", argForms[a.Kind]), ""}
		}
	case AtRef:
		device, instance, one := strings.Cut(t.Text, "/")
		if !validName(device) || one && !validName(instance) {
			return fault{phrase.Say("%q is not the name of a device", t.Text), phrase.Text("write DEVICE, or DEVICE/INSTANCE"), ""}
		}
	case DeviceRef:
		if !validName(t.Text) {
			return fault{phrase.Say("%q is not the name of a device", t.Text), "", ""}
		}
	}
	return fault{}
}

func (a Arg) holds(n uint64) bool { return n >= a.Min && (a.Max == 0 || n <= a.Max) }

func ranged(a Arg, unit string) string {
	if a.Max == 0 {
		return phrase.Say("write a number%s", unit)
	}
	return phrase.Say("from %d%s to %d%s", a.Min, unit, a.Max, unit)
}

func validName(s string) bool {
	for i, c := range s {
		letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
		if !letter && (i == 0 || !(c >= '0' && c <= '9' || c == '-' || c == '_')) {
			return false
		}
	}
	return s != "" && len(s) <= 64
}

func parseAddress(s string) (netip.Addr, error) {
	a, err := netip.ParseAddr(s)
	if err == nil && !a.Is4() {
		err = fmt.Errorf("not IPv4")
	}
	return a, err
}

func parseDuration(s string) (time.Duration, error) {
	if s == "" || s[0] < '0' || s[0] > '9' {
		return 0, phrase.Error("no number")
	}
	return time.ParseDuration(s)
}

// parseSpan reads "10m..2h", or "10m.." for without end.
func parseSpan(s string) (span config.Span, ok bool) {
	from, until, both := strings.Cut(s, "..")
	if !both {
		return span, false
	}
	var err error
	if span.From, err = parseDuration(from); err != nil {
		return span, false
	}
	if until == "" {
		return span, true
	}
	span.Until, err = parseDuration(until)
	return span, err == nil && span.Until > span.From
}

// spanWords writes a span: "from 10m to 2h", "" for always.
func spanWords(s config.Span) string {
	out := ""
	if s.From != 0 {
		out = phrase.Say(" from %s", FormatDuration(s.From))
	}
	if s.Until != 0 {
		out += phrase.Say(" until %s", FormatDuration(s.Until))
	}
	return out
}

var units = []struct {
	suffix string
	factor uint64
}{{"T", 1e12}, {"G", 1e9}, {"M", 1e6}, {"k", 1e3}, {"", 1}}

func parseRate(s string) (uint64, error) {
	for _, u := range units {
		if number, ok := strings.CutSuffix(s, u.suffix); ok {
			f, err := strconv.ParseFloat(number, 64)
			if err != nil || f < 0 || math.IsNaN(f) || f*float64(u.factor) > 1e18 {
				return 0, phrase.Error("not a rate")
			}
			return uint64(math.Round(f * float64(u.factor))), nil
		}
	}
	return 0, phrase.Error("not a rate")
}

// FormatRate writes bit/s with the largest unit that leaves a whole number.
func FormatRate(n uint64) string {
	for _, u := range units {
		if n >= u.factor && n%u.factor == 0 {
			return strconv.FormatUint(n/u.factor, 10) + u.suffix
		}
	}
	return strconv.FormatUint(n, 10)
}

// FormatDuration writes a duration as the language does: 10s, 200ms, 1500us.
func FormatDuration(d time.Duration) string {
	switch {
	case d%time.Second == 0:
		return strconv.FormatInt(int64(d/time.Second), 10) + "s"
	case d%time.Millisecond == 0:
		return strconv.FormatInt(int64(d/time.Millisecond), 10) + "ms"
	case d%time.Microsecond == 0:
		return strconv.FormatInt(int64(d/time.Microsecond), 10) + "us"
	}
	return strconv.FormatInt(int64(d), 10) + "ns"
}

func parsePercent(s string) (uint32, error) {
	number, ok := strings.CutSuffix(s, "%")
	f, err := strconv.ParseFloat(number, 64)
	if !ok || err != nil || !(f >= 0 && f <= 100) {
		return 0, phrase.Error("not a share")
	}
	return uint32(math.Round(f * 10_000)), nil
}

func parseArea(s string) (uint32, error) {
	if n, err := strconv.ParseUint(s, 10, 32); err == nil {
		return uint32(n), nil
	}
	a, err := parseAddress(s)
	if err != nil {
		return 0, err
	}
	b := a.As4()
	return uint32(b[0])<<24 | uint32(b[1])<<16 | uint32(b[2])<<8 | uint32(b[3]), nil
}

// FormatArea writes an area the short way, if it is a small number.
func FormatArea(n uint32) string {
	if n < 65536 {
		return strconv.FormatUint(uint64(n), 10)
	}
	return netip.AddrFrom4([4]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)}).String()
}

// maskLike says whether a word is an address mask: ones, then zeros.
func maskLike(s string) bool {
	a, err := parseAddress(s)
	if err != nil {
		return false
	}
	_, ok := maskBits(a)
	return ok && a.As4()[0] == 255
}

func maskBits(a netip.Addr) (n int, ok bool) {
	b := a.As4()
	m := uint32(b[0])<<24 | uint32(b[1])<<16 | uint32(b[2])<<8 | uint32(b[3])
	for n < 32 && m&(1<<(31-n)) != 0 {
		n++
	}
	return n, m == uint32(math.MaxUint32<<(32-n))
}

func withMask(address, mask string) string {
	n, _ := maskBits(netip.MustParseAddr(mask))
	address, _, _ = strings.Cut(address, "/")
	return fmt.Sprintf("%s/%d", address, n)
}

// ParseRef reads DEVICE.PORT, or a host's name.
func ParseRef(s string) config.PortRef {
	device, port, dotted := strings.Cut(s, ".")
	if !dotted {
		port = config.HostPort
	}
	return config.PortRef{Device: device, Port: port}
}

func formatNanos(n uint64) string { return FormatDuration(time.Duration(n)) }
