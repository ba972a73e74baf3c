package facts

import (
	"hellebore/core/simulation/device"
)

// AreaKind says what sort of area a router takes an area for.
func AreaKind(inst *device.Instance, area uint32) string {
	a := inst.Config().OSPF.Area(area)
	return a.KindWords()
}

// TakesNoExternals says whether an area keeps AS external LSAs out, as a router sees it.
func TakesNoExternals(inst *device.Instance, area uint32) bool {
	a := inst.Config().OSPF.Area(area)
	return a.Closed()
}
