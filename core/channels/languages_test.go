package channels

import (
	"strings"
	"testing"

	"aldermoor/core/material"
)

// Terms of one and of several words in each language, joined as people join them.
func TestTermsOfLanguages(t *testing.T) {
	for language, terms := range map[string]map[material.Channel][]string{
		"German":     {material.BaseColor: {"Basisfarbe", "Grundfarbe"}, material.Normal: {"Normalen Karte"}, material.Roughness: {"Rauheit", "Oberflächen Rauheit"}, material.Height: {"Höhen Karte"}, material.Occlusion: {"Umgebungs Okklusion"}},
		"French":     {material.BaseColor: {"couleur de base", "couleur diffuse"}, material.Normal: {"carte des normales"}, material.Roughness: {"carte de rugosité"}, material.Height: {"carte de hauteur"}, material.Occlusion: {"occlusion ambiante"}},
		"Spanish":    {material.BaseColor: {"color de base"}, material.Normal: {"mapa de normales"}, material.Roughness: {"mapa de rugosidad"}, material.Height: {"mapa de altura"}, material.Occlusion: {"oclusión ambiental"}},
		"Italian":    {material.BaseColor: {"colore di base"}, material.Normal: {"mappa delle normali"}, material.Roughness: {"rugosità"}, material.Height: {"mappa di altezza"}, material.Occlusion: {"occlusione ambientale"}},
		"Portuguese": {material.BaseColor: {"cor de base"}, material.Normal: {"mapa de normais"}, material.Roughness: {"rugosidade"}, material.Height: {"altura"}, material.Occlusion: {"oclusão ambiental"}},
		"Dutch":      {material.BaseColor: {"basis kleur"}, material.Normal: {"normaal kaart"}, material.Roughness: {"ruwheid"}, material.Height: {"hoogte kaart"}, material.Occlusion: {"omgevings occlusie"}},
		"Polish":     {material.BaseColor: {"kolor bazowy"}, material.Normal: {"mapa normalnych"}, material.Roughness: {"szorstkość"}, material.Height: {"mapa wysokości"}, material.Occlusion: {"okluzja otoczenia"}},
		"Czech":      {material.BaseColor: {"základní barva"}, material.Normal: {"normála"}, material.Roughness: {"drsnost"}, material.Height: {"výška"}, material.Occlusion: {"zastínění"}},
		"Swedish":    {material.BaseColor: {"bas färg", "grund färg"}, material.Normal: {"normal karta"}, material.Roughness: {"ojämnhet"}, material.Height: {"höjd karta"}, material.Occlusion: {"omgivnings ocklusion"}},
		"Japanese":   {material.BaseColor: {"ベースカラー", "ベース 色"}, material.Normal: {"ノーマルマップ", "法線"}, material.Roughness: {"粗さ"}, material.Height: {"高さ"}, material.Occlusion: {"遮蔽"}},
	} {
		for want, list := range terms {
			for _, term := range list {
				for _, joint := range []string{"_", "-", " "} {
					name := "wall07" + joint + strings.ReplaceAll(term, " ", joint) + ".png"
					if got := Says(name); got != want {
						t.Errorf("%s: %s is %q, want %s", language, name, got, want)
					}
				}
			}
		}
	}
}
