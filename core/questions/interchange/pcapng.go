// Package interchange writes what other programs read, in open formats.
package interchange

import (
	"fmt"
	"io"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"

	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Pcapng writes the frames of a medium, from one virtual time to another, as a
// pcapng file (draft-ietf-opsawg-pcapng) with one interface a port. Virtual time
// 0 is the first of January 1970. dev and port name any port on the medium; it
// returns the number of frames written.
func Pcapng(out io.Writer, h *history.History, w *network.World, dev, port uint32, from, to history.Moment,
	stop func() bool) (frames int, err error) {
	m, _, joined := w.MediumOf(dev, port)
	if !joined {
		return 0, fmt.Errorf("%s.%s is not joined to anything", w.Device(dev).Name(),
			w.Device(dev).Ports()[port].Config.Name)
	}
	type end struct{ device, port uint32 }
	numbers := map[end]int{}
	var file *pcapgo.NgWriter
	for _, e := range m.Ends {
		face := pcapgo.NgInterface{Name: w.Device(e.Device).Name() + "." + w.Device(e.Device).Ports()[e.Port].Config.Name,
			LinkType: layers.LinkTypeEthernet, SnapLength: 0, TimestampResolution: 9}
		if file == nil {
			options := pcapgo.DefaultNgWriterOptions
			options.SectionInfo.Application = "Hellebore"
			if file, err = pcapgo.NewNgWriterInterface(out, face, options); err != nil {
				return 0, err
			}
			numbers[end{e.Device, e.Port}] = 0
			continue
		}
		n, err := file.AddInterface(face)
		if err != nil {
			return 0, err
		}
		numbers[end{e.Device, e.Port}] = n
	}
	var failed error
	err = h.Frames(from.At, to.At, func(f history.Frame) {
		n, here := numbers[end{f.Device, f.Port}]
		if !here || failed != nil {
			return
		}
		frames++
		failed = file.WritePacket(gopacket.CaptureInfo{Timestamp: time.Unix(0, int64(f.At)).UTC(),
			CaptureLength: len(f.Bytes),
			Length:        len(f.Bytes), InterfaceIndex: n}, f.Bytes)
	}, stop)
	if err == nil {
		err = failed
	}
	if err == nil {
		err = file.Flush()
	}
	return frames, err
}
