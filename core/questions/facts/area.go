package facts

import (
	"hellebore/core/simulation/device"
)

// AreaKind says what sort of area a router takes an area for.
func AreaKind(d *device.Device, area uint32) string {
	a := d.Config().OSPF.Area(area)
	return a.KindWords()
}

// TakesNoExternals says whether an area keeps AS external LSAs out, as a router sees it.
func TakesNoExternals(d *device.Device, area uint32) bool {
	a := d.Config().OSPF.Area(area)
	return a.Closed()
}
