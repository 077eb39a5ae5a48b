package station

import (
	"aldermoor/core/colour"
	"aldermoor/core/scale"
)

// texel is what a material is at one point.
type texel struct {
	height               float64 // metres, from any zero
	color                colour.RGB
	rough, metal, opaque float64
}

// Material is a made-up surface whose true figures are known.
type Material struct {
	Slug, Name string
	Size       scale.Size // one repeat, metres
	Categories []string
	Tags       []string
	Contact    string
	Station    string // the station that scans it
	Metal      bool   // has a metallic map
	Cutout     bool   // has an opacity map
	at         func(p patch, u, v float64) texel
}

// Materials are the surfaces of the studio's film, in the order in which the
// stations deliver them.
func Materials() []Material {
	m := func(station, slug, name string, w, h float64, categories, tags []string, contact string, at func(patch, float64, float64) texel) Material {
		return Material{Slug: slug, Name: name, Size: scale.Size{W: w, H: h}, Categories: categories, Tags: tags, Contact: contact, Station: station, at: at}
	}
	metal := func(m Material) Material { m.Metal = true; return m }
	cut := func(m Material) Material { m.Cutout = true; return m }
	list := func(s ...string) []string { return s }
	return []Material{
		m(QuayRig, "slates_round", "Hung slates, round ends", 1.71, 1.14, list("Roofing", "Stone"), list("slate", "roof", "grey", "mill"), "thin stone", slates),
		m(QuayRig, "rubble_limewash", "Lime-washed rubble", 1.80, 1.80, list("Masonry", "Stone"), list("wall", "limewash", "white", "mill"), "rough stone", rubble),
		m(FieldRig, "mudflat_ripple", "Rippled mudflat", 3.20, 2.40, list("Ground"), list("mud", "wet", "shore", "ripples"), "soft mud", mudflat),
		m(QuayRig, "jetty_plank", "Jetty planks, bleached", 1.10, 1.10, list("Timber"), list("planks", "weathered", "salt", "deck"), "hollow timber", jetty),
		metal(m(QuayRig, "flashing_copper", "Copper flashing, verdigris", 2.00, 2.00, list("Metal", "Roofing"), list("copper", "patina", "green"), "thin metal", verdigris)),
		m(FieldRig, "bank_shingle", "Shingle bank", 1.20, 1.20, list("Ground", "Stone"), list("pebbles", "beach", "shore"), "loose stone", shingle),
		m(QuayRig, "thatch_reed", "Reed thatch", 1.60, 1.60, list("Roofing"), list("reed", "straw", "roof"), "dry straw", thatch),
		m(YardLoan, "hurdle_willow", "Willow hurdle", 1.50, 1.00, list("Timber", "Fencing"), list("woven", "wicker", "fence"), "hollow timber", hurdle),
		m(QuayRig, "tile_encaustic", "Encaustic tile, painted", 0.60, 0.60, list("Tile"), list("pattern", "floor", "hall"), "hard tile", encaustic),
		m(FieldRig, "path_oyster", "Oyster-shell path", 0.80, 0.80, list("Ground"), list("shell", "path", "pale"), "loose stone", oyster),
		metal(m(YardLoan, "plate_sluice", "Sluice plate, riveted", 1.20, 1.20, list("Metal"), list("iron", "rivets", "painted", "rust"), "thick metal", sluice)),
		m(QuayRig, "sailcloth", "Sailcloth", 0.25, 0.25, list("Cloth"), list("canvas", "linen", "sail"), "cloth", sailcloth),
		metal(m(QuayRig, "lead_rolls", "Sheet lead with rolls", 1.40, 1.40, list("Metal", "Roofing"), list("lead", "roof", "grey"), "thin metal", lead)),
		m(QuayRig, "weatherboard_tar", "Tarred weatherboard", 1.50, 1.20, list("Timber", "Cladding"), list("tar", "black", "boards", "mill"), "hollow timber", weatherboard),
		m(YardLoan, "hull_clinker", "Clinker hull planking", 1.60, 1.20, list("Timber", "Boat"), list("boat", "paint", "planks"), "hollow timber", clinker),
		m(FieldRig, "setts_moss", "Mossed setts", 1.50, 1.20, list("Ground", "Stone"), list("paving", "moss", "wet", "slipway"), "wet stone", setts),
		m(QuayRig, "quarry_glazed", "Quarry tile, glazed", 0.90, 0.90, list("Tile"), list("floor", "red", "kitchen"), "hard tile", quarry),
		m(QuayRig, "terrazzo_office", "Terrazzo, harbour office", 0.70, 0.70, list("Stone", "Floor"), list("terrazzo", "polished", "floor"), "hard stone", terrazzo),
		m(QuayRig, "elm_herringbone", "Herringbone elm", 1.20, 1.20, list("Timber", "Floor"), list("parquet", "floor", "loft"), "solid timber", herringbone),
		m(Archive, "limewash_crack", "Cracked limewash", 1.30, 1.30, list("Plaster"), list("wall", "cracked", "white", "loft"), "dry plaster", limewash),
		m(Archive, "rope_mat", "Tarred rope mat", 0.60, 0.60, list("Cloth"), list("rope", "woven", "tar"), "rope", ropeMat),
		m(FieldRig, "gravel_pea", "Pea gravel", 0.60, 0.45, list("Ground", "Stone"), list("gravel", "path"), "loose stone", gravel),
		m(Archive, "sack_hessian", "Hessian grain sack", 0.30, 0.30, list("Cloth"), list("jute", "sack", "coarse", "mill"), "cloth", hessian),
		metal(m(YardLoan, "chainplate_rust", "Rusted chainplate", 0.50, 0.50, list("Metal"), list("iron", "rust", "old"), "thick metal", rust)),
		metal(cut(m(YardLoan, "grating_iron", "Cast-iron grating", 0.60, 0.60, list("Metal"), list("iron", "drain", "openings"), "thick metal", grating))),
		m(FieldRig, "chalk_rammed", "Rammed chalk", 2.40, 1.60, list("Ground", "Masonry"), list("chalk", "earth", "pale"), "packed earth", chalk),
	}
}
