"""An independent client walks the server: makes a calendar, adds, searches,
syncs, changes and deletes."""
import sys
from datetime import datetime, timezone
import caldav

client = caldav.DAVClient(sys.argv[1], username="clerk", password="tide")
principal = client.principal()
calendar = principal.make_calendar(name="Berths of Tarn Haven", cal_id="berths")
assert [c.name for c in principal.calendars()] == ["Berths of Tarn Haven"], principal.calendars()

def text(uid, start, title, rule=""):
    return ("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Harbour//EN\r\nBEGIN:VEVENT\r\nUID:%s\r\nDTSTAMP:20260302T080000Z\r\n"
            "DTSTART:%s\r\nDURATION:PT1H\r\n%sSUMMARY:%s\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n" % (uid, start, rule, title))

calendar.save_event(text("a", "20260305T080000Z", "Corvane"))
calendar.save_event(text("b", "20260406T080000Z", "Merle"))
calendar.save_event(text("c", "20260101T090000Z", "Ferry", "RRULE:FREQ=DAILY;COUNT=100\r\n"))

def titles(month):
    found = calendar.date_search(datetime(2026, month, 1, tzinfo=timezone.utc), datetime(2026, month + 1, 1, tzinfo=timezone.utc), expand=False)
    return sorted(str(e.vobject_instance.vevent.summary.value) for e in found)

assert titles(3) == ["Corvane", "Ferry"], titles(3)
assert titles(4) == ["Ferry", "Merle"], titles(4)
assert titles(5) == [], titles(5)

known = calendar.objects_by_sync_token(load_objects=True)
assert len(list(known)) == 3
event = calendar.event_by_uid("b")
event.vobject_instance.vevent.summary.value = "Merle, berth 3"
event.save()
calendar.event_by_uid("a").delete()
updated, deleted = known.sync()
assert (len(list(updated)), len(list(deleted))) == (1, 1), (updated, deleted)
assert titles(4) == ["Ferry", "Merle, berth 3"], titles(4)
assert titles(3) == ["Ferry"], titles(3)
calendar.delete()
assert principal.calendars() == []
print("walked")
