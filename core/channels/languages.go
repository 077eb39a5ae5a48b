package channels

import (
	"strings"

	"aldermoor/core/material"
)

// foreign are the words for channels in the languages in which most names are written,
// beside English: Japanese, Chinese (both scripts), Korean, Russian, German, French, Spanish, Italian,
// Portuguese, Polish, Dutch, Czech and Swedish; in lower case and composed (NFC). Terms of several words
// stand here as one ("couleurdebase"), and are found with spaces or the like between.
var foreign = map[material.Channel]string{
	material.BaseColor: "basisfarbe diffusfarbe colordebase colorbase corbase cordebase corprincipal coloredibase coloredifondo kolorbazowy kolorpodstawowy kleur basiskleur grondkleur barva základníbarva zakladnibarva färg farg basfärg basfarg grundfärg couleurdiffuse ベース色 基本色 ベースカラー カラー 色 アルベド 拡散 颜色 顏色 基础色 基礎色 漫反射 反照率 固有色 색상 베이스컬러 알베도 цвет альбедо диффуз базовыйцвет " +
		"farbe grundfarbe diffus couleur couleurdebase diffuse base albédo colore colorebase diffusa corbase cor difusa difuso kolor barwa albedo",
	material.Normal: "normalmapa mapanormal mapadenormales mapanormales mapadenormais cartenormale cartedesnormales mappanormale mappadellenormali mappanormali mapanormalnych normaal normaalkaart normála normala normály normalkarta normalenkarte ノーマル 法線 ノーマルマップ 法线 法線貼圖 法线贴图 노멀 노말 법선 нормаль нормали нормалей " +
		"normale normalen normales normali normais normalna normalne",
	material.Roughness: "ruwheid drsnost hrubost grovhet råhet rahet ojämnhet mapaderugosidad cartederugosité oberflächenrauheit ラフネス 粗さ 粗度 粗糙度 粗糙 러프니스 거칠기 шероховатость шероховат " +
		"rauheit rauigkeit rauhigkeit rugosité rugosite rugosidad rugosità rugosita rugosidade aspereza ruvidezza szorstkość szorstkosc chropowatość chropowatosc",
	material.Metallic: "metaal metaalgehalte kov kovovost metall metallisk metalliskt metallwert métallicité metallicite metalicidad metallicità metallicita メタリック 金属 金属度 金屬 金屬度 금속 금속성 메탈릭 металл металличность металлик " +
		"metallisch metallizität métallique metallique metálico metalico metallico metalicidade metaliczność metalicznosc metaliczny",
	material.Height: "hoogte hoogtekaart výška vyska výšková höjd hojd höjdkarta höhenkarte hoehenkarte mapadealtura mapadealturas cartedehauteur mappaaltezza mappadialtezza mapawysokości mapawysokosci 高さ ハイト ディスプレイスメント 変位 高度 置换 置換 位移 높이 변위 высота высоты смещение рельеф " +
		"höhe hoehe verschiebung hauteur déplacement deplacement altura desplazamiento altezza spostamento deslocamento wysokość wysokosc przemieszczenie",
	material.Occlusion: "omgevingsocclusie okluze zastínění zastineni ocklusion omgivningsocklusion occlusionambiante oclusiónambiental oclusionambiental occlusioneambientale oclusãoambiental oclusaoambiental okluzjaotoczenia umgebungsokklusion オクルージョン 遮蔽 环境光遮蔽 環境光遮蔽 遮挡 環境遮蔽 오클루전 차폐 затенение окклюзия " +
		"verdeckung okklusion umgebungsverdeckung oclusión oclusion occlusione oclusão oclusao okluzja",
	material.Opacity: "dekking doorzichtigheid transparantie průhlednost pruhlednost krytí kryti opacitet genomskinlighet täckning lichtundurchlässigkeit 不透明度 透明度 アルファ 透明 불투명도 투명도 непрозрачность прозрачность " +
		"deckkraft transparenz opacité opacite opacidad opacità opacita opacidade krycie przezroczystość przezroczystosc",
	material.Emissive: "gloed uitstraling emissie emise svit emission glöd glod eigenleuchten selbstleuchtend エミッション 発光 自发光 自發光 发光 發光 발광 свечение излучение " +
		"leuchten emissiv émission emisión emision emissione emissão emissao emisja",
	material.Specular: "glans spiegeling odlesk zrcadlení zrcadleni spegling glanzfarbe スペキュラ スペキュラー 鏡面 高光 镜面 鏡面反射 스페큘러 반사 блик зеркальность отражение " +
		"glanzlicht spekular spéculaire speculaire especular speculare reflejo odbicie",
	material.Glossiness: "glanzend glansgraad lesk leskost glanshet glättung glaette 光沢 グロス 光泽度 光澤度 光泽 광택 глянец глянцевость глянцевитость " +
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
