"""The faces that come with the application: catalogue name, file below resources/fonts, what it suits."""

from __future__ import annotations

SHIPPED: dict[str, tuple[str, str]] = {
    "cinzel-bold": ("cinzel/Cinzel-Bold.ttf", "inscriptions"),
    "cinzel": ("cinzel/Cinzel-Regular.ttf", "inscriptions"),
    "eb-garamond": ("eb-garamond/EBGaramond12-Regular.otf", "engraving, labels"),
    "league-spartan-bold": ("league-spartan/LeagueSpartan-Bold.otf", "signs"),
    "league-spartan": ("league-spartan/LeagueSpartan-Regular.otf", "signs"),
    "quicksand-bold": ("quicksand/Quicksand-Bold.ttf", "soft signs"),
    "routed-gothic": ("routed-gothic/routed-gothic.ttf", "plates, engraving by one cutter"),
    "national-park": ("national-park/NationalPark-Heavy.otf", "trail signs"),
    "roadgeek": ("roadgeek/RG2014D.ttf", "road signs"),
    "bebas-neue": ("bebas-neue/BebasNeue-Bold.otf", "tall capitals"),
    "big-shoulders": ("big-shoulders-display/BigShouldersDisplay-Bold.ttf", "tall capitals"),
    "saira-stencil": ("saira-stencil-one/SairaStencilOne-Regular.ttf", "stencils"),
    "roboto-slab": ("roboto-slab/RobotoSlab-Bold.otf", "slab serif"),
    "courier-prime": ("courier-prime/CourierPrimeBold.otf", "typewritten"),
    "special-elite": ("special-elite/SpecialElite-Regular.ttf", "worn typewriter"),
    "pacifico": ("pacifico/Pacifico-Regular.ttf", "brush script"),
    "kaushan-script": ("kaushan-script/KaushanScript-Regular.otf", "brush script"),
    "great-vibes": ("great-vibes/GreatVibes-Regular.ttf", "formal script"),
    "pinyon-script": ("pinyon-script/PinyonScript-Regular.ttf", "formal script"),
    "unifraktur": ("unifraktur-maguntia/UnifrakturMaguntia.ttf", "blackletter"),
    "amiri-bold": ("amiri/Amiri-Bold.ttf", "Arabic"),
    "frank-ruhl": ("frank-ruhl-libre/FrankRuhlLibre-Bold.ttf", "Hebrew"),
    "biz-gothic": ("biz-udpgothic-subset/BIZUDPGothic-Bold-subset.ttf", "Japanese"),
}

# Faces of open strokes: catalogue name -> (file, name, what it suits)
LINES: dict[str, tuple[str, str, str]] = {
    "hershey-sans": (
        "open-path/HersheySans1.svg",
        "Hershey Sans",
        "one stroke: tubes, engraving, plotters",
    ),
    "readability": ("open-path/EMSReadability.svg", "EMS Readability", "one stroke: labels, plotters"),
    "nixish": ("open-path/EMSNixish.svg", "EMS Nixish", "one stroke with serifs"),
    "hershey-script": ("open-path/HersheyScript1.svg", "Hershey Script", "one stroke script: tubes"),
    "allure": ("open-path/EMSAllure.svg", "EMS Allure", "one stroke script: tubes"),
    "felix": ("open-path/EMSFelix.svg", "EMS Felix", "one stroke script"),
    "hershey-sans-medium": ("open-path/HersheySansMed.svg", "Hershey Sans Medium", "double stroke"),
    "hershey-script-medium": (
        "open-path/HersheyScriptMed.svg",
        "Hershey Script Medium",
        "double stroke script",
    ),
    "hershey-serif": ("open-path/HersheySerifMed.svg", "Hershey Serif", "double stroke with serifs"),
    "hershey-serif-bold": (
        "open-path/HersheySerifBold.svg",
        "Hershey Serif Bold",
        "several strokes with serifs",
    ),
    "hershey-gothic": (
        "open-path/HersheyGothEnglish.svg",
        "Hershey Gothic",
        "several strokes, blackletter",
    ),
}
