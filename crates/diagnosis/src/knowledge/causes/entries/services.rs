//! Causes behind a listener that offers services.

use super::{DBA, NETWORK};
use crate::knowledge::causes::Cause;

causes! { SERVICES
    ServiceUnknown Listener DBA;
    "The listener does not offer this service.";
    "The listener answers, and refuses the name of the service or of the instance.";
    "It lists the services that it does offer, where it may.";
    ["Correct the name of the service in the settings, or have the instance register it with this listener."];

    ServiceAmbiguous Listener DBA;
    "Several instances offer the same service, and it is not always the same one that answers.";
    "It works, with data or rights that change from one connection to the next.";
    "The listener lists several instances for the service, and repeated connections (--repeat) reach more than one.";
    ["Name the instance in the settings (instance=NAME), or have the other instance register its own service name."];

    ServiceNotReady Listener DBA may_pass;
    "The service is registered, but its instance does not accept connections now.";
    "The listener answers, and refuses the service as not ready or restricted; or no instance is registered with it yet.";
    "The listener says how the instance stands, and since when.";
    ["Start the instance, or open it for all users.", "If it is starting, wait; if that does not pass, read the log of the instance."];

    RedirectUnreachable Listener NETWORK;
    "The listener sends the client on to a place that it cannot reach from here.";
    "The listener answers, and the place that it names does not.";
    "The name, the route and the port of that place are tested as well.";
    ["Have the instance register an address that clients can reach, or make that place reachable from here."];
}
