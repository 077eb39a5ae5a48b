package channels

import (
	"strings"

	"aldermoor/core/material"
)

// foreign are the words for channels in the languages in which most names are written,
// beside English: Japanese, Chinese (both scripts), Korean, Russian, German, French,
// Spanish, Italian, Portuguese and Polish; in lower case and composed (NFC).
var foreign = map[material.Channel]string{
	material.BaseColor: "ベースカラー カラー 色 アルベド 拡散 颜色 顏色 基础色 基礎色 漫反射 反照率 固有色 색상 베이스컬러 알베도 цвет альбедо диффуз базовыйцвет " +
		"farbe grundfarbe diffus couleur couleurdebase diffuse base albédo colore colorebase diffusa corbase cor difusa difuso kolor barwa albedo",
	material.Normal: "ノーマル 法線 ノーマルマップ 法线 法線貼圖 法线贴图 노멀 노말 법선 нормаль нормали нормалей " +
		"normale normalen normales normali normais normalna normalne",
	material.Roughness: "ラフネス 粗さ 粗度 粗糙度 粗糙 러프니스 거칠기 шероховатость шероховат " +
		"rauheit rauigkeit rauhigkeit rugosité rugosite rugosidad rugosità rugosita rugosidade aspereza ruvidezza szorstkość szorstkosc chropowatość chropowatosc",
	material.Metallic: "メタリック 金属 金属度 金屬 金屬度 금속 금속성 메탈릭 металл металличность металлик " +
		"metallisch metallizität métallique metallique metálico metalico metallico metalicidade metaliczność metalicznosc metaliczny",
	material.Height: "高さ ハイト ディスプレイスメント 変位 高度 置换 置換 位移 높이 변위 высота высоты смещение рельеф " +
		"höhe hoehe verschiebung hauteur déplacement deplacement altura desplazamiento altezza spostamento deslocamento wysokość wysokosc przemieszczenie",
	material.Occlusion: "オクルージョン 遮蔽 环境光遮蔽 環境光遮蔽 遮挡 環境遮蔽 오클루전 차폐 затенение окклюзия " +
		"verdeckung okklusion umgebungsverdeckung oclusión oclusion occlusione oclusão oclusao okluzja",
	material.Opacity: "不透明度 透明度 アルファ 透明 불투명도 투명도 непрозрачность прозрачность " +
		"deckkraft transparenz opacité opacite opacidad opacità opacita opacidade krycie przezroczystość przezroczystosc",
	material.Emissive: "エミッション 発光 自发光 自發光 发光 發光 발광 свечение излучение " +
		"leuchten emissiv émission emisión emision emissione emissão emissao emisja",
	material.Specular: "スペキュラ スペキュラー 鏡面 高光 镜面 鏡面反射 스페큘러 반사 блик зеркальность отражение " +
		"glanzlicht spekular spéculaire speculaire especular speculare reflejo odbicie",
	material.Glossiness: "光沢 グロス 光泽度 光澤度 光泽 광택 глянец глянцевость глянцевитость " +
		"glanz brillance brillant brillo lucidità lucidita brilho połysk polysk",
}

// foreignClaims are foreign by word. A word that two channels have is left out.
func foreignClaims() map[string]material.Channel {
	out := map[string]material.Channel{}
	for c, words := range foreign {
		for w := range strings.FieldsSeq(words) {
			if was, ok := out[w]; ok && was != c {
				out[w] = material.None
				continue
			}
			out[w] = c
		}
	}
	return out
}

var byForeign = foreignClaims()

// foreignWeight is how far a foreign word is to be believed: it may be part of a name.
const foreignWeight = 0.85

// full are the words of channels that abbreviations are made of.
var full = map[material.Channel][]string{
	material.BaseColor: {"color", "colour", "diffuse", "albedo", "basecolor"}, material.Normal: {"normal", "normals", "normalmap"}, material.Roughness: {"roughness"}, material.Metallic: {"metallic", "metalness"},
	material.Height: {"height", "displacement", "bump"}, material.Occlusion: {"occlusion"}, material.Mask: {"curvature", "cavity"}, material.Opacity: {"opacity", "transparency"}, material.Emissive: {"emissive", "emission"},
	material.Specular: {"specular", "reflection"}, material.Glossiness: {"glossiness", "smoothness"},
}

// abbreviated is the channel of whose word a word is the consonants, or some of them in their
// order, from the first on ("rghns"); None if it is none's, or of several.
func abbreviated(w string) material.Channel {
	if len(w) < 3 || len(w) > 7 || strings.ContainsAny(w[1:], "aeiou") || strings.ContainsFunc(w, func(r rune) bool { return r < 'a' || r > 'z' }) {
		return material.None
	}
	found := material.None
	for c, words := range full {
		for _, f := range words {
			if !subsequence(w, f) {
				continue
			}
			if found != material.None && found != c {
				return material.None
			}
			found = c
		}
	}
	return found
}

// begun is the channel that alone has a word that begins with these four letters or more.
func begun(w string) material.Channel {
	if len(w) < 4 {
		return material.None
	}
	found := material.None
	for c, words := range full {
		for _, f := range words {
			if strings.HasPrefix(f, w) {
				if found != material.None && found != c {
					return material.None
				}
				found = c
			}
		}
	}
	return found
}

// subsequence says whether w begins as f does and its letters stand in f in their order.
func subsequence(w, f string) bool {
	if w[0] != f[0] {
		return false
	}
	for i := range len(w) {
		at := strings.IndexByte(f, w[i])
		if at < 0 {
			return false
		}
		f = f[at+1:]
	}
	return true
}
