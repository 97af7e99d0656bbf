package language

// languages are those of ISO 639-1.
const languages = "aa ab ae af ak am an ar as av ay az ba be bg bi bm bn bo br bs ca ce ch co cr cs cu cv cy da de dv dz ee el en eo es et eu " +
	"fa ff fi fj fo fr fy ga gd gl gn gu gv ha he hi ho hr ht hu hy hz ia id ie ig ii ik io is it iu ja jv ka kg ki kj kk kl km kn ko kr ks ku kv kw ky " +
	"la lb lg li ln lo lt lu lv mg mh mi mk ml mn mr ms mt my na nb nd ne ng nl nn no nr nv ny oc oj om or os pa pi pl ps pt qu rm rn ro ru rw " +
	"sa sc sd se sg si sk sl sm sn so sq sr ss st su sv sw ta te tg th ti tk tl tn to tr ts tt tw ty ug uk ur uz ve vi vo wa wo xh yi yo za zh zu"

// regions are the officially assigned ones of ISO 3166-1.
const regions = "ad ae af ag ai al am ao aq ar as at au aw ax az ba bb bd be bf bg bh bi bj bl bm bn bo bq br bs bt bv bw by bz " +
	"ca cc cd cf cg ch ci ck cl cm cn co cr cu cv cw cx cy cz de dj dk dm do dz ec ee eg eh er es et fi fj fk fm fo fr ga gb gd ge gf gg gh gi gl gm gn gp gq gr gs gt gu gw gy " +
	"hk hm hn hr ht hu id ie il im in io iq ir is it je jm jo jp ke kg kh ki km kn kp kr kw ky kz la lb lc li lk lr ls lt lu lv ly " +
	"ma mc md me mf mg mh mk ml mm mn mo mp mq mr ms mt mu mv mw mx my mz na nc ne nf ng ni nl no np nr nu nz om pa pe pf pg ph pk pl pm pn pr ps pt pw py qa re ro rs ru rw " +
	"sa sb sc sd se sg sh si sj sk sl sm sn so sr ss st sv sx sy sz tc td tf tg th tj tk tl tm tn to tr tt tv tw tz ua ug um us uy uz va vc ve vg vi vn vu wf ws ye yt za zm zw"

// scripts are those of ISO 15924 that pages are written in.
const scripts = "adlm arab armn beng bopo brai cans cher cyrl deva ethi geor grek gujr guru hang hani hans hant hebr hira jpan java kana khmr knda kore laoo latn " +
	"mlym mong mymr nkoo olck orya sinh syrc taml telu tfng thaa thai tibt vaii yiii"

// replaced are languages that ISO 639-1 once had, and what it has instead.
const replaced = "iw=he in=id ji=yi jw=jv mo=ro sh=sr-Latn bh=hi"

// threeLetters are codes of ISO 639-2 for languages that have one of two letters.
const threeLetters = "eng=en deu=de ger=de fra=fr fre=fr spa=es ita=it por=pt nld=nl dut=nl swe=sv dan=da nor=no nob=nb nno=nn fin=fi isl=is ice=is pol=pl ces=cs cze=cs slk=sk slo=sk slv=sl " +
	"hun=hu ron=ro rum=ro bul=bg hrv=hr srp=sr ell=el gre=el tur=tr rus=ru ukr=uk est=et lav=lv lit=lt ara=ar heb=he fas=fa per=fa hin=hi ben=bn tam=ta tha=th vie=vi ind=id msa=ms may=ms " +
	"jpn=ja zho=zh chi=zh kor=ko cat=ca eus=eu baq=eu glg=gl gle=ga cym=cy wel=cy sqi=sq alb=sq mkd=mk mac=mk bos=bs kat=ka geo=ka hye=hy arm=hy tgl=tl swa=sw afr=af"

// countryLanguages are countries whose code is taken for their language's; "!"
// where the language alone is meant, not the country too.
const countryLanguages = "jp=!ja cn=!zh dk=!da cz=!cs gr=!el ua=!uk il=!he vn=!vi eg=ar us=en gb=en au=en nz=en at=de mx=es cl=es pe=es ie=en in=hi tw=zh hk=zh kz=!kk rs=!sr md=ro by=!be ir=!fa uk=!en"

// countriesTakenForLanguages are languages whose code is a country's too, and is
// mostly written for that.
const countriesTakenForLanguages = "se=Northern+Sami/sv kr=Kanuri/ko br=Breton/pt-BR be=Belarusian/nl-BE ch=Chamorro/de-CH ee=Ewe/et si=Sinhala/sl my=Burmese/ms"

// wrongRegions are regions that don't exist, or no longer, and what is meant.
const wrongRegions = "uk=gb usa=us gbr=gb deu=de fra=fr esp=es ita=it swe=se nor=no dnk=dk aut=at che=ch can=ca aus=au su=ru dd=de fx=fr tp=tl zr=cd bu=mm yu=rs cs=rs an=cw"

// oldScripts are words that stood for a script before scripts had codes here.
const oldScripts = "chs=Hans cht=Hant"

// homes are the countries where languages are at home whose code is no country's
// or another's.
const homes = "en=gb da=dk sv=se ja=jp ko=kr zh=cn cs=cz el=gr uk=ua he=il nb=no nn=no et=ee sl=si ar=eg hi=in sq=al hy=am ka=ge fa=ir vi=vn ms=my be=by kk=kz sr=rs"
