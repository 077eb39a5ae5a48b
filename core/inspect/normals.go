package inspect

import (
	"aldermoor/core/channels"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// This file has the checks of normal maps.

// directionMismatch is by the curl of the slopes, which only one direction can make small.
func directionMismatch(m *channels.Map) fact.Values {
	if m.Channel == material.Normal && m.Claim != normals.Unknown && m.Facing != m.Claim {
		return fact.Of("named", m.Claim.String(), "is", m.Facing.String(), "confidence", m.Sure)
	}
	return nil
}

func directionUnknown(m *channels.Map) fact.Values {
	if m.Channel == material.Normal && m.Facing == normals.Unknown {
		return fact.Of()
	}
	return nil
}

// normalNotUnit is from one pixel in ten on.
func normalNotUnit(m *channels.Map) fact.Values {
	if u := m.Look.UnitLength; m.Channel == material.Normal && m.Component == "rgb" && m.Look.Info.Components >= 3 && u < 0.9 && u > 0 {
		return fact.Of("share", 1-u)
	}
	return nil
}

// normalCurve finds normals that were saved with the sRGB curve.
func normalCurve(m *channels.Map) fact.Values {
	if m.Channel == material.Normal && m.Look.Curve {
		return fact.Of("share", m.Look.UnitLength)
	}
	return nil
}

// normalSwapped finds normals whose first two components are in each other's place.
func normalSwapped(m *channels.Map) fact.Values {
	if m.Channel == material.Normal && m.Look.Swapped {
		return fact.Of("confidence", m.Look.DirectionConfidence)
	}
	return nil
}
