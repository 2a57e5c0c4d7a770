from django.urls import path, register_converter
from django.urls.converters import StringConverter

from workshop.bench import fitting, practice
from workshop.bench import views as bench
from workshop.club import views as club
from workshop.compositions import beginnings
from workshop.compositions import views as compositions
from workshop.entry import doors, phone
from workshop.pictures import printing
from workshop.pictures import views as pictures
from workshop.serving import health
from workshop.shop import swatch_cards
from workshop.shop import views as shop
from workshop.stations import views as stations
from workshop.stations.calendar import views as calendar
from workshop.stations.log import views as log

handler400 = "workshop.entry.views.bad_request"
handler403 = "workshop.entry.views.refused"
handler404 = "workshop.entry.views.not_found"
handler500 = "workshop.entry.views.broken"


class StationConverter(StringConverter):
    regex = "pattern|wood|relief|stock|saw|assembly|calendar|log"


class KeptConverter(StringConverter):
    regex = "html|pdf|label"


register_converter(StationConverter, "station")
register_converter(KeptConverter, "kept")

urlpatterns = [
    path("", compositions.shelf, name="shelf"),
    path("bring/", compositions.bring, name="bring"),
    path("begin/", beginnings.beginnings, name="begin"),
    path("begin/<slug:way>/", beginnings.begin, name="begin-way"),
    path("draft/<uuid:uid>/", compositions.draft, name="draft"),
    path("draft/<uuid:uid>/source", compositions.draft_source, name="draft-source"),
    path("draft/<uuid:uid>/scene.json", compositions.draft_scene, name="draft-scene"),
    path("draft/<uuid:uid>/other/<int:number>/", compositions.draft_other, name="draft-other"),
    path("draft/<uuid:uid>/again/", compositions.draft_again, name="draft-again"),
    path("draft/<uuid:uid>/stop/", compositions.draft_stop, name="draft-stop"),
    path("draft/<uuid:uid>/by-hand/", compositions.draft_by_hand, name="draft-by-hand"),
    path("draft/<uuid:uid>/accept/", compositions.draft_accept, name="draft-accept"),
    path("draft/<uuid:uid>/discard/", compositions.draft_discard, name="draft-discard"),
    path("picture/<uuid:uid>/small", stations.small, name="small"),
    path("picture/<uuid:uid>/shapes.json", compositions.shapes, name="shapes"),
    path("picture/<uuid:uid>/out/<slug:kind>", compositions.leave, name="leave"),
    path("picture/<uuid:uid>/pass-on/", club.pass_on, name="pass-on"),
    path("picture/<uuid:uid>/show/", club.show, name="show-to"),
    path("picture/<uuid:uid>/show/<int:pk>/end/", club.show_no_longer, name="show-no-longer"),
    path("picture/<uuid:uid>/put/", club.put, name="put-on-shelf"),
    path("shown/<uuid:uid>/", club.shown, name="shown"),
    path("shown/<uuid:uid>/<slug:show>.json", club.shown_scene, name="shown-scene"),
    path("shown/<uuid:uid>/copy/", club.copy, name="copy"),
    path("shown/<uuid:uid>/end/", club.leave_alone, name="leave-alone"),
    path("club/", club.patterns, name="club"),
    path("club/<uuid:uid>/", club.pattern, name="pattern"),
    path("club/<uuid:uid>/scene.json", club.pattern_scene, name="pattern-scene"),
    path("club/<uuid:uid>/take/", club.take, name="take-pattern"),
    path("club/<uuid:uid>/down/", club.take_down, name="take-down"),
    path("picture/<uuid:uid>/tag/", compositions.tag, name="tag"),
    path("picture/<uuid:uid>/thumb.json", compositions.thumb, name="thumb"),
    path("picture/<uuid:uid>/discard/", compositions.discard, name="discard"),
    path("picture/<uuid:uid>/once-more/", compositions.once_more, name="once-more"),
    path("picture/<uuid:uid>/undo/<station:station>/", stations.undo, name="undo"),
    path("picture/<uuid:uid>/redo/<station:station>/", stations.redo, name="redo"),
    path("picture/<uuid:uid>/practise/", practice.practising, name="practising"),
    path("picture/<uuid:uid>/practise/sheet.pdf", practice.sheet, name="practice-sheet"),
    path("picture/<uuid:uid>/bench/", bench.bench, name="bench"),
    path("picture/<uuid:uid>/swatches/", swatch_cards.swatches, name="swatches"),
    path("picture/<uuid:uid>/swatches/sheet.pdf", swatch_cards.sheet, name="swatch-sheet"),
    path("picture/<uuid:uid>/bench/fit/", fitting.fit, name="fit"),
    path("picture/<uuid:uid>/bench/which/", fitting.which, name="which"),
    path("picture/<uuid:uid>/bench/sync/", bench.sync, name="bench-sync"),
    path("picture/<uuid:uid>/bench/photo/", bench.photo, name="bench-photo"),
    path("picture/<uuid:uid>/bench/photo/<int:pk>.jpg", bench.snapshot, name="snapshot"),
    path("picture/<uuid:uid>/bench/more.json", bench.more, name="bench-more"),
    path("picture/<uuid:uid>/bench/pedal/", bench.pedal, name="pedal"),
    path("picture/<uuid:uid>/bench/app.webmanifest", bench.manifest, name="bench-manifest"),
    path("bench-worker.js", bench.worker, name="bench-worker"),
    path("picture/<uuid:uid>/<station:station>/", stations.station, name="station"),
    path("picture/<uuid:uid>/<station:station>/ticket", stations.ticket, name="ticket"),
    path("picture/<uuid:uid>/<station:station>/rule", stations.rule, name="rule"),
    path("picture/<uuid:uid>/<station:station>/do/", stations.do, name="do"),
    path("picture/<uuid:uid>/<station:station>/<slug:show>/dress.json", compositions.dress, name="dress"),
    path("picture/<uuid:uid>/mesh.bin", stations.mesh, name="mesh"),
    path("picture/<uuid:uid>/layout/", stations.layout_search, name="layout-search"),
    path("picture/<uuid:uid>/layout/stop/", stations.layout_search_stop, name="layout-search-stop"),
    path("year/", log.year, name="year"),
    path("picture/<uuid:uid>/took/", log.correct, name="log-correct"),
    path("picture/<uuid:uid>/price/", log.price, name="price"),
    path("picture/<uuid:uid>/keepsake/", log.keepsake, name="keepsake"),
    path("picture/<uuid:uid>/keepsake/<kept:kind>", log.keepsake_file, name="keepsake-file"),
    path("picture/<uuid:uid>/dates/", calendar.agree, name="dates"),
    path("picture/<uuid:uid>/dates/polish/", calendar.polish, name="polish"),
    path("picture/<uuid:uid>/dates/polish/stop/", calendar.polish_stop, name="polish-stop"),
    path("picture/<uuid:uid>/dates/forward/", calendar.forward, name="forward"),
    path("picture/<uuid:uid>/dates/dates.ics", calendar.file, name="dates-file"),
    path("picture/<uuid:uid>/dates/day.pdf", calendar.day_sheet, name="day-sheet"),
    path("picture/<uuid:uid>/dates/together/", calendar.together, name="together"),
    path("picture/<uuid:uid>/dates/subscribe/", calendar.subscribe, name="subscribe"),
    path("calendar/<str:secret>.ics", calendar.subscribed, name="subscribed"),
    path("picture/<uuid:uid>/rest/", stations.keep_rest, name="keep-rest"),
    path("picture/<uuid:uid>/panel/", stations.panel, name="panel"),
    path("picture/<uuid:uid>/way.json", stations.way, name="way"),
    path("picture/<uuid:uid>/section", stations.section, name="section"),
    path("picture/<uuid:uid>/print/", printing.printing, name="printing"),
    path("picture/<uuid:uid>/print.pdf", printing.printed, name="printed"),
    path("picture/<uuid:uid>/look.jpg", pictures.look, name="look"),
    path("picture/<uuid:uid>/final/", pictures.final, name="final"),
    path("picture/<uuid:uid>/final/begin/", pictures.final_begin, name="final-begin"),
    path("picture/<uuid:uid>/final/stop/", pictures.final_stop, name="final-stop"),
    path("picture/<uuid:uid>/final.png", pictures.final_png, name="final-png"),
    path("picture/<uuid:uid>/suggest/", stations.suggest, name="suggest"),
    path("picture/<uuid:uid>/palettes/", pictures.palettes, name="palettes"),
    path("picture/<uuid:uid>/pack/", pictures.pack, name="pack"),
    path("picture/<uuid:uid>/place/", pictures.place, name="place"),
    path("picture/<uuid:uid>/spots.json", pictures.spots, name="spots"),
    path("shop/", shop.shop, name="shop"),
    path("shop/woods/", shop.own_woods, name="own-woods"),
    path("shop/woods.css", shop.woods_css, name="woods-css"),
    path("shop/woods/keep/", shop.keep_wood, name="keep-wood"),
    path("shop/woods/<slug:code>/tile.jpg", shop.wood_tile, name="wood-tile"),
    path("shop/woods/<slug:code>/drop/", shop.drop_wood, name="drop-wood"),
    path("shop/boards/", shop.by_colour, name="boards-by-colour"),
    path("shop/board/<int:pk>/", shop.board, name="board"),
    path("shop/board/<int:pk>/change/", shop.change_board, name="board-change"),
    path("shop/board/<int:pk>/photograph/", shop.photograph, name="board-photograph"),
    path("shop/board/<int:pk>/photo.jpg", shop.photo, name="board-photo"),
    path("shop/board/<int:pk>/face.jpg", shop.face, name="board-face"),
    path("shop/board/<int:pk>/defect/", shop.defect, name="board-defect"),
    path("shop/board/<int:pk>/defect/<int:index>/clear/", shop.clear_defect, name="board-defect-clear"),
    path("shop/practice/", shop.practice, name="shop-practice"),
    path("shop/zone/", shop.zone, name="shop-zone"),
    path("shop/board/", shop.add_board, name="shop-board"),
    path("shop/board/<int:pk>/drop/", shop.drop_board, name="shop-board-drop"),
    path("phone/", phone.phone, name="phone"),
    path("come-in/<str:key>/", phone.come_in, name="come-in"),
    path("first/<str:key>/", phone.first, name="first"),
    path("health/", health.health, name="health"),
    path("enter/", doors.Enter.as_view(), name="login"),
    path("leave/", doors.Leave.as_view(), name="logout"),
    path("account/", doors.account, name="account"),
    path("account/sign-out/<int:pk>/", doors.end_one, name="end-session"),
    path("account/sign-out/", doors.end_all_others, name="end-sessions"),
]
