"""What is kept beside a worksheet's cells: its shelf, saved states, pictures."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.core.values import key_in
from rulka.formats.output.drawn import alone
from rulka.worksheets.library.opening import put_on_shelf
from rulka.worksheets.library.pictures import MOST_BYTES, add_picture, find_picture
from rulka.worksheets.library.saved import delete_state, save_state
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for, sheet_asked
from rulka.worksheets.running.drawn import find_drawing, svg_on
from rulka.worksheets.running.live import opened


def back(asked: WorksheetRequest, panel: str) -> HttpResponseRedirect:
    """The worksheet's page again."""
    return HttpResponseRedirect(f"{reverse('worksheet', args=[asked.worksheet.name])}?{asked.seat.query}&panel={panel}")


@require_POST
def shelf(request: HttpRequest, name: str) -> HttpResponse:
    """Put the worksheet on a shelf, or on none."""
    asked = asked_for(request, name, edit=True)
    put_on_shelf(asked.worksheet, request.POST.get("shelf", ""), person=asked.seat.person)
    return back(asked, "sheet")


@require_POST
def state(request: HttpRequest, name: str) -> HttpResponse:
    """Keep the worksheet as it is under a name, or let a kept state go."""
    asked = asked_for(request, name, edit=True)
    if number := request.POST.get("delete", ""):
        delete_state(asked.worksheet, key_in(number), person=asked.seat.person)
    else:
        save_state(asked.worksheet, request.POST.get("name", ""), person=asked.seat.person)
    return back(asked, "sheet")


@require_POST
def picture_add(request: HttpRequest, name: str) -> JsonResponse:
    """Keep a picture with the worksheet; where it lies is an edit of its own."""
    asked = asked_for(request, name, edit=True)
    given = request.FILES.get("picture")
    if given is None:
        raise RulkaError("No picture came.", hint="Choose a PNG or JPEG file.", subject="picture")
    if given.size is None or given.size > MOST_BYTES:
        raise RulkaError("The picture is larger than 1 MB.", hint="Make it smaller.", subject="picture")
    found, width, height = add_picture(asked.worksheet, given.name or "picture", given.read(), person=asked.seat.person)
    scale = min(1, 400 / width, 300 / height)
    return JsonResponse(
        {"picture": found.pk, "width": max(round(width * scale), 16), "height": max(round(height * scale), 16)}
    )


@require_GET
def picture(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """A picture of the worksheet."""
    found = find_picture(asked_for(request, name).worksheet, number)
    return HttpResponse(bytes(found.content), content_type=found.kind)


@require_GET
def drawing(request: HttpRequest, name: str, drawing: str) -> HttpResponse:
    """A drawing of a sheet, as whoever asks sees its figures now."""
    asked = asked_for(request, name)
    with opened(asked.worksheet, asked.reader) as live:
        sheet = sheet_asked(live, request)
        content = alone(svg_on(live, sheet, find_drawing(sheet, drawing)))
    return HttpResponse(content, content_type="image/svg+xml")
